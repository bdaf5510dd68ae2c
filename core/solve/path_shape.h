#pragma once
#include "core/solve/reconstruction.h"
#include "core/solve/solve_options.h"

namespace dusky {

/// Holds the cameras to the line or the plane that fits them best, as firmly as a thousandth of the path against errors of `spread_px`; takes such
/// a hold away for any other motion.
void shapePath(Reconstruction& work, CameraMotion motion, double spread_px);

/// How far the path is from a line and from a plane: root mean square of the distances in standard deviations of the centres; and its extent
/// across, in the same. Unknown where deviations are.
struct PathShape {
  double off_line = kUnknown, off_plane = kUnknown;
  double length = kUnknown, width = kUnknown;
};
PathShape pathShape(const Solution& solution);

/// Rail or Flat where a long path lies on a line or in a plane as well as its cameras are known; else Free.
CameraMotion plainerMotion(const PathShape& shape);
}  // namespace dusky
