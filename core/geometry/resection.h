#pragma once
#include <array>
#include <optional>
#include <vector>

#include "core/geometry/pose.h"

namespace dusky {

/// All poses that see three known points along three unit rays; up to four.
/// Source: Grunert 1841 in the form of Haralick et al., IJCV 13(3), 1994.
std::vector<Pose> poseFromThree(const std::array<Vec3, 3>& points, const std::array<Vec3, 3>& rays);

struct Resection {
  Pose pose;
  std::vector<int> inliers;
};

/// One camera from known points, wrong pairs allowed; refined on its inliers.
/// Shapes: equally long, at least 4; rays of unit length. Tolerance in radians. Nothing where fewer than 4 pairs agree.
/// Sources: robust.h; refinement: Lowe, IEEE TPAMI 13(5), 1991.
std::optional<Resection> resect(const std::vector<Vec3>& points, const std::vector<Vec3>& rays, double tolerance, std::uint64_t seed);

/// Moves a camera until the listed points lie along the rays that saw them (Gauss-Newton on the differences of unit rays, truncated at
/// `tolerance` by Cauchy weights). Points behind the camera are left out.
Pose refinePose(Pose start, const std::vector<Vec3>& points, const std::vector<Vec3>& rays, const std::vector<int>& use, double tolerance);
}  // namespace dusky
