#pragma once
#include <vector>

#include "core/geometry/robust.h"
#include "core/geometry/essential.h"

namespace dusky {

/// What two views of the same points say about each other. They are seen along unit rays; tolerances in radians.
struct TwoView {
  RelativePose relative;             ///< x_b = R x_a + t, |t| = 1.
  std::vector<int> inliers;          ///< Pairs that agree and lie in front of both.
  double median_parallax_rad = 0.0;  ///< Over the inliers.
  double cost = 0.0;                 ///< MSAC cost of the essential matrix.
};

/// Relative pose by five-point samples, refined on its inliers, the side of the four solutions by points in front.
/// No inliers where the pairs do not fix a pose. Sources: see essential.h and robust.h.
TwoView relatePair(const std::vector<Vec3>& a, const std::vector<Vec3>& b, double tolerance, std::uint64_t seed);

/// First-order geometric (Sampson) error of a pair of unit rays against E, radians. Source: Sampson, CGIP 18(1), 1982, on the sphere.
double sampsonError(const Mat3& essential, const Vec3& a, const Vec3& b);
}  // namespace dusky
