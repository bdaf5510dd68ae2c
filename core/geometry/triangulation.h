#pragma once
#include <optional>
#include <vector>

#include "core/geometry/pose.h"

namespace dusky {

/// One sighting of a point: who saw it and along which unit ray, in camera axes.
struct Sighting {
  Pose camera;
  Vec3 ray = Vec3::UnitZ();
};

struct Triangulated {
  Vec3 point = Vec3::Zero();
  double parallax_rad = 0.0;  ///< Largest angle between two of its rays.
};

/// The point of least error, the differences of unit rays squared (so that a place at the rim of a wide lens counts as one in its middle). Begins from the best
/// of: the point nearest to all rays, a place far along them, and `known` when given. Nothing where there are fewer than two sightings, the rays are parallel,
/// or the point falls behind a camera. Sources: linear start: Hartley and Sturm, CVIU 68(2), 1997; refinement: Levenberg-Marquardt on the rays.
std::optional<Triangulated> triangulate(const std::vector<Sighting>& sightings, const std::optional<Vec3>& known = std::nullopt);

/// Largest angle at `point` between the directions to two of the camera centres, radians.
double parallaxAt(const Vec3& point, const std::vector<Vec3>& centres);
}  // namespace dusky
