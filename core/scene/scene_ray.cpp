#include "core/scene/scene_ray.h"

namespace dusky {

std::optional<Vec3> met(const SceneRay& ray, const Vec3& on_plane, const Vec3& normal) {
  constexpr double kEdgeOn = 0.03;  // sine of the least angle between a line of sight and the plane that says where they meet
  const double towards = normal.dot(ray.direction);
  if (std::abs(towards) < kEdgeOn) return std::nullopt;
  const double away = normal.dot(on_plane - ray.from) / towards;
  return away > 0 ? std::optional(Vec3(ray.from + away * ray.direction)) : std::nullopt;
}

}  // namespace dusky
