#pragma once
#include <QPointF>
#include <QPolygonF>
#include <vector>

#include "apps/desktop/model/document_model.h"
#include "apps/desktop/paint/track_state.h"

namespace dusky::desktop {

/// One track as the Plate shows it in one frame; places in px of the footage.
struct PlateMark {
  int id = 0;
  Glyph glyph = Glyph::Unplaced;
  bool pinned = false;
  QPointF measured, reprojected;
  double error_px = kUnknown;
  bool used = true;            ///< The solve uses this observation.
  std::vector<QPointF> trail;  ///< Where it was in the frames before; only while there is no solve.
};

/// All tracks with an observation in this frame.
std::vector<PlateMark> plateMarks(const DocumentModel& model, int frame);

/// A flat piece of a test object in the picture, farthest first, and how much light it gets (0 to 1).
struct PlateFace {
  QPolygonF outline;
  double light = 1, depth = 0;
};
std::vector<PlateFace> plateFaces(const DocumentModel& model, int frame);

/// The ground grid through the lens, as polylines in px.
std::vector<QPolygonF> plateGrid(const DocumentModel& model, int frame);

}  // namespace dusky::desktop
