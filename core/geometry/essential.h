#pragma once
#include <array>
#include <vector>

#include "core/geometry/pose.h"

namespace dusky {

/// All essential matrices E with b^T E a = 0 for five pairs of unit rays; up to ten.
/// Weak geometry (pairs that coincide) may give none.
/// Sources: Stewenius, Engels and Nister, ISPRS J. 60(4), 2006; null space form: Nister, IEEE TPAMI 26(6), 2004.
std::vector<Mat3> essentialFromFive(const std::array<Vec3, 5>& a, const std::array<Vec3, 5>& b);

/// The four (rotation, unit direction) with E = [t]x R up to scale, taking a's camera axes to b's: x_b = R x_a + t.
/// Source: Hartley and Zisserman, Multiple View Geometry, 2nd ed., section 9.6.2.
struct RelativePose {
  Mat3 rotation = Mat3::Identity();
  Vec3 direction = Vec3::UnitX();
};
std::array<RelativePose, 4> decomposeEssential(const Mat3& essential);

/// [v]x, with [v]x w = v x w.
Mat3 crossMatrix(const Vec3& v);

}  // namespace dusky
