#pragma once
#include <QPointF>
#include <QPolygonF>
#include <vector>

#include "apps/desktop/model/document_model.h"
#include "apps/desktop/paint/track_state.h"
#include "core/scene/seen_scene.h"

namespace dusky::desktop {

/// The solved camera of a frame; nothing where there is none.
std::optional<SceneCamera> cameraAt(const DocumentModel& model, int frame);

/// Whether two cameras show the very same.
bool sameView(const SceneCamera& a, const SceneCamera& b);

/// One track as the Plate shows it in one frame; places in px of the footage.
struct PlateMark {
  int id = 0;
  Glyph glyph = Glyph::Unplaced;
  bool pinned = false;
  QPointF measured, reprojected;
  double error_px = kUnknown;
  bool used = true;                    ///< The solve uses this observation.
  std::vector<QPointF> before, after;  ///< Its path to where it is, and on from there.
};

/// All tracks with an observation in this frame. `paths`: with where they were and will be; before a solve where they were is always there.
std::vector<PlateMark> plateMarks(const DocumentModel& model, int frame, bool paths);

/// A flat piece of a test object in the picture, and how much light it gets (0 to 1).
struct PlateFace {
  QPolygonF outline;
  double light = 1;
};
/// Test objects as the frame's camera sees them: faces farthest first, and the outlines of their shadows.
struct PlateObjects {
  std::vector<PlateFace> faces;
  std::vector<QPolygonF> shadows;
};
PlateObjects plateObjects(const DocumentModel& model, const std::vector<TestObject>& objects, int frame);

/// The ground grid through the lens, as polylines in px.
std::vector<QPolygonF> plateGrid(const DocumentModel& model, int frame);

/// Planes and lines of the set through the lens, and where their names stand.
struct PlateSet {
  QString name;
  std::vector<QPolygonF> lines;
  std::optional<QPointF> label;
};
std::vector<PlateSet> plateSets(const DocumentModel& model, int frame);

}  // namespace dusky::desktop
