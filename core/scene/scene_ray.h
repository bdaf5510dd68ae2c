#pragma once
#include <optional>

#include "core/geometry/pose.h"

namespace dusky {

/// A line of sight in scene coordinates; |direction| = 1.
struct SceneRay {
  Vec3 from = Vec3::Zero(), direction = Vec3::UnitZ();
};

/// Where a line of sight meets a plane; nothing where it is behind the eye, or the plane is seen edge on.
std::optional<Vec3> met(const SceneRay& ray, const Vec3& on_plane, const Vec3& normal);

}  // namespace dusky
