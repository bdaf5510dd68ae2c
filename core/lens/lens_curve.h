#pragma once
#include <Eigen/Core>
#include <vector>

#include "core/base/progress.h"
#include "core/lens/lens.h"

namespace dusky {

/// How far a lens bends the picture at a distance from its axis, towards the farthest corner.
struct LensCurvePoint {
  double radius_px = 0;
  double bend_px = 0;          ///< Outwards, beyond the lens of its kind without distortion.
  double sigma_px = kUnknown;  ///< One standard deviation, from the coefficients; unknown where none was free.
};

/// How a lens bends the picture, towards its farthest corner. `covariance`: of the parameters at the positions `index`, px^2 scaled; may be
/// empty.
std::vector<LensCurvePoint> lensCurve(const Lens& lens, const std::vector<int>& index, const Eigen::MatrixXd& covariance);

}  // namespace dusky
