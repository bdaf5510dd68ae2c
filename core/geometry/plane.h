#pragma once
#include <optional>
#include <vector>

#include "core/geometry/pose.h"

namespace dusky {

/// The points p with normal . p = offset; |normal| = 1.
struct PlaneFit {
  Vec3 normal = Vec3::UnitY();
  double offset = 0.0;
  double distance(const Vec3& p) const { return normal.dot(p) - offset; }
};

/// Least squares plane of three or more points; nothing where they lie on a line. The normal's sign is free.
std::optional<PlaneFit> fitPlane(const std::vector<Vec3>& points);

/// The plane with most points within `tolerance` whose normal lies within `max_tilt_rad` of `up`; normal towards `up`.
/// Source: robust.h. Nothing where fewer than 6 points agree.
std::optional<PlaneFit> findPlane(const std::vector<Vec3>& points, const Vec3& up, double max_tilt_rad, double tolerance, std::uint64_t seed);

}  // namespace dusky
