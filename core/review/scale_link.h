#pragma once
#include "core/solve/reconstruction.h"

namespace dusky {

/// Where a path hangs together least: how well the tracks that live on both sides of a frame carry the scale across it.
struct ScaleLink {
  double sigma_share = kUnknown;  ///< Standard deviation of one part's scale beside the other's; unknown where there is no such frame.
  int frame = 0;                  ///< The last frame before it, by index.
};

/// The weakest one. A track carries the scale as far as its depth is told by either side alone, by how far the cameras there stand apart as seen from it; what
/// the noise makes cameras seem to move is taken off, for a camera that stands still tells no depth. Where it is weak the parts may be of any size beside one
/// another, and no curvature at the solution shows it. `sigma_px`: of one coordinate of a sighting. Source: scale drift, Strasdat, Montiel and Davison, "Scale
/// drift-aware large scale monocular SLAM", RSS 2010.
ScaleLink weakestScaleLink(const Reconstruction& work, double sigma_px);

}  // namespace dusky
