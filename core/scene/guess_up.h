#pragma once
#include "core/geometry/plane.h"
#include "core/solve/solution.h"

namespace dusky {

/// What is up, as a solve lets one guess it.
struct UpGuess {
  Vec3 up = Vec3::UnitY();  ///< Of length 1, in the solve's world.
  double sigma_rad = kUnknown;
  std::optional<PlaneFit> ground;  ///< The dominant plane under the path; its normal towards up, which it need not be.
};

/// From how cameras are held (level sideways, more or less tilted), the dominant plane under them, walls, and that paths are rather level: least squares over
/// directions, in which what disagrees counts little. A ground that is flat and agrees is what is level. The deviations that each is given are those of usual
/// shots; docs/accuracy.md says how well the sum of them holds. Source: iteratively reweighted least squares, Holland and Welsch, Communications in Statistics
/// 6(9), 1977.
UpGuess guessUp(const Solution& solution);

}  // namespace dusky
