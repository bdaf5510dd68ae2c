#pragma once
#include <optional>
#include <vector>

#include "core/geometry/pose.h"

namespace dusky {

struct Turn {
  Eigen::Quaterniond to_from = Eigen::Quaterniond::Identity();
  std::vector<int> inliers;
};

/// The rotation that takes unit directions `from` to unit directions `to`, wrong pairs allowed; refined on its inliers.
/// Shapes: equally long. Tolerance in radians. Nothing where fewer than 3 pairs agree. Sources: robust.h; Umeyama, IEEE TPAMI 13(4), 1991.
std::optional<Turn> rotationBetweenDirections(const std::vector<Vec3>& from, const std::vector<Vec3>& to, double tolerance_rad, std::uint64_t seed);

}  // namespace dusky
