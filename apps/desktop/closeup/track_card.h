#pragma once
#include <QPainter>
#include <functional>
#include <vector>

#include "apps/desktop/model/session.h"

namespace dusky::desktop {

/// So many pieces of picture tell a track's life.
inline constexpr int kMostPieces = 7;

/// Frames that a track's life is told by: its first, its last, its worst after a solve, and others evenly between; ascending.
std::vector<int> tellingFrames(const Track& track, const SolvedTrack* solved, int most = kMostPieces);

/// Where the solve puts a track beside where it was measured, frame by frame.
struct TrackResiduals {
  struct Sample {
    int frame = 0;
    Vec2 error = Vec2::Zero();  ///< From measured to reprojected, px.
    bool used = false;
  };
  std::vector<Sample> samples;
  double most_px = 0;  ///< The largest in x or y.
};
TrackResiduals residualsOf(const Track& track, const SolvedTrack* solved);

/// Draws them: x solid, y dashed, about a line at 0. `xOf`: where a frame lies.
void drawResiduals(QPainter& painter, const QRect& area, const TrackResiduals& residuals, double top_px, const std::function<double(double)>& xOf);

}  // namespace dusky::desktop
