#pragma once
#include <optional>
#include <vector>

#include "core/adjust/set_beliefs.h"

namespace dusky {

/// A plane or line through most of some points.
struct SetFit {
  SetShape shape;
  std::vector<std::size_t> inliers;  ///< Ascending: all but those that stand far off what the others lie on.
};

/// A point and how surely its place is known.
struct SurePoint {
  Vec3 place = Vec3::Zero();
  Mat3 covariance = Mat3::Zero();
};

/// Least squares over the points near the fit that leaves the least median, in standard deviations; `sigma`: how far points stand off by themselves. At least
/// two thirds stay: where fewer agree, what is said of them is to be judged as it was said. Nothing where a plane's points lie on one line. Source: least
/// median of squares, Rousseeuw, Journal of the American Statistical Association 79(388), 1984.
std::optional<SetFit> fitSet(const std::vector<SurePoint>& points, bool line, double sigma);

}  // namespace dusky
