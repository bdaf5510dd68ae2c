#pragma once
#include <vector>

#include "core/scene/scene_ray.h"

namespace dusky {

/// Which way a direction points once its tip, so far from its foot, was dragged onto a line of sight: of the two places where that meets the sphere the tip
/// runs on, the nearer one to where the tip is; beside the sphere, towards it. Of length 1. `step_rad`: height over the ground plane and heading go by such
/// steps; 0: freely.
Vec3 axisDraggedTo(const SceneRay& ray, const Vec3& foot, double reach, const Vec3& now, double step_rad = 0);

/// A circle about a direction through its foot, closed: how the plane that it stands on lies.
std::vector<Vec3> circleAbout(const Vec3& foot, const Vec3& axis, double radius);

}  // namespace dusky
