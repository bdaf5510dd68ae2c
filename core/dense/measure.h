#pragma once
#include <optional>
#include <span>
#include <string>
#include <vector>

#include "core/base/progress.h"
#include "core/geometry/plane.h"

namespace dusky {

/// A line of sight, and how near to it a point must lie to be meant: |direction| = 1.
struct PickRay {
  Vec3 from = Vec3::Zero(), direction = Vec3::UnitZ();
  double within = 0;           ///< At `from`.
  double within_per_unit = 0;  ///< More with the distance.
};

/// Of many points that which a line of sight means: of those near enough to it that lie no more than a hundredth farther than the first, the one nearest to the
/// line; nothing where none is near. `at(point)`: its place.
template <class Points, class At>
std::optional<std::size_t> pickedPoint(const Points& points, const At& at, const PickRay& ray) {
  struct Near {
    double away, off;
  };
  const auto nearOf = [&](const auto& point) -> std::optional<Near> {
    const Vec3 to = at(point) - ray.from;
    const double away = to.dot(ray.direction), most = ray.within + away * ray.within_per_unit, off = to.squaredNorm() - away * away;
    if (!(away > 0) || off > most * most) return std::nullopt;
    return Near{away, off};
  };
  double first = std::numeric_limits<double>::max();
  for (const auto& point : points) {
    if (const auto near = nearOf(point)) first = std::min(first, near->away);
  }
  std::optional<std::size_t> best;
  double least = std::numeric_limits<double>::max();
  constexpr double kSame = 1.01;
  for (std::size_t k = 0; k < points.size() && first < std::numeric_limits<double>::max(); ++k) {
    const auto near = nearOf(points[k]);
    if (near && near->away <= kSame * first && near->off < least) best = k, least = near->off;
  }
  return best;
}

/// What picked places are to each other; scene units.
struct PlacesMeasured {
  std::vector<double> lengths;    ///< From each place to the next.
  std::optional<PlaneFit> plane;  ///< Through three or more; its normal upwards.
  double plane_rms = kUnknown;    ///< How far they lie off it.
  double tilt_deg = kUnknown;     ///< Between it and the ground.
};
PlacesMeasured measured(const std::vector<Vec3>& places);

}  // namespace dusky
