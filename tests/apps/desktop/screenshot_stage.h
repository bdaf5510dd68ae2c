#pragma once
#include "tests/apps/desktop/window_driver.h"

namespace dusky::testing {

/// Where the pictures go.
extern QString screenshot_folder;

void shoot(QWidget& widget, const char* name);
/// Kept tracks of long life nearest to places in the picture of a frame.
std::vector<int> tracksNear(desktop::MainWindow& window, const std::vector<QPointF>& places);
/// Kept tracks of the frame that lie on the guessed ground, spread over the picture.
std::vector<int> tracksOnGround(desktop::MainWindow& window, std::size_t count);
void goTo(desktop::MainWindow& window, int frame);
void setScene(desktop::MainWindow& window);
QPointF onPlate(desktop::MainWindow& window, double x, double y);
void solveWithoutLens(desktop::MainWindow& window);

// The views, each as docs/screenshots shows it.

/// An ellipse that follows the moored boat by keys, and a curve along the shore.
void shootMasks(desktop::MainWindow& window);
/// Candidates before tracking; a track by hand close up; two frames; the list; coverage.
void shootTracks(desktop::MainWindow& window);
/// The Plate without distortion beside its edges' check, focal length and bend; a sweep with its valley.
void shootLens(desktop::MainWindow& window);
/// Limits, and what they would do.
void shootPrune(desktop::MainWindow& window);
/// The error map fills the window: rows by place in the picture, a limit being brushed.
void shootErrorMap(desktop::MainWindow& window);
/// The worst track close up, with those of its frame.
void shootTrackCard(desktop::MainWindow& window);
/// Three runs, two of them compared; the shot is solved and shows the first.
void shootLedger(desktop::MainWindow& window);
/// The tracks alone, written and opened again as a shot without pictures; some of them brought in once more beside.
void shootTracksAlone(desktop::MainWindow& window);
/// What a solve without a lens leaves over the picture, and where in depth.
void shootField(desktop::MainWindow& window);
/// Ground and test objects; the set from the front with rulers, and how sure some places are; the shot is solved.
void shootScene(desktop::MainWindow& window);
/// The scene with its handles, and laid on the set's mesh after the picks of a knowledge file; the shot is solved.
void shootMesh(desktop::MainWindow& window, const char* picks);
void shootDeliver(desktop::MainWindow& window);
/// Dense points with their clean-up, their mesh, and a depth map; the shot is solved.
void shootDense(desktop::MainWindow& window);

}  // namespace dusky::testing
