#pragma once
#include <optional>
#include <vector>

#include "core/geometry/pose.h"

namespace dusky {

/// One sighting of a point: who saw it and where, as normalised (x/z, y/z).
struct Sighting {
  Pose camera;
  Vec2 seen = Vec2::Zero();
};

struct Triangulated {
  Vec3 point = Vec3::Zero();
  double parallax_rad = 0.0;  ///< Largest angle between two of its rays.
};

/// The point nearest to all rays, refined to least reprojection error (in normalised units).
/// Nothing where there are fewer than two sightings, the rays are parallel, or the point falls behind a camera.
/// Sources: linear start: Hartley and Sturm, CVIU 68(2), 1997; refinement: Gauss-Newton on the reprojections.
std::optional<Triangulated> triangulate(const std::vector<Sighting>& sightings);

/// Largest angle at `point` between the directions to two of the camera centres, radians.
double parallaxAt(const Vec3& point, const std::vector<Vec3>& centres);

}  // namespace dusky
