#pragma once
#include <array>
#include <vector>

#include "core/scene/scene.h"
#include "core/scene/scene_ray.h"

namespace dusky {

/// How the scene is moved as a whole: along an axis, over the ground, about an axis, larger.
enum class SceneHandle { MoveX, MoveY, MoveZ, MoveLevel, TurnX, TurnY, TurnZ, Scale };
inline constexpr std::array kSceneHandles = {SceneHandle::MoveX, SceneHandle::MoveY, SceneHandle::MoveZ, SceneHandle::MoveLevel,
                                             SceneHandle::TurnX, SceneHandle::TurnY, SceneHandle::TurnZ, SceneHandle::Scale};

/// The axis of a handle that moves along or turns about one; nothing of the others.
std::optional<Vec3> axisOf(SceneHandle handle);
bool turns(SceneHandle handle);

/// Whether a handle moves what is free to move.
bool isFree(SceneHandle handle, const SceneFreedom& free);

/// Where a handle is held, about a pivot, scene coordinates: for moving at the ends of the axes, for turning halfway round between the other two.
Vec3 placeOf(SceneHandle handle, const Vec3& pivot, double reach);
/// The quarter circle that a handle for turning stands on.
std::vector<Vec3> arcOf(SceneHandle handle, const Vec3& pivot, double reach);

/// What a drag of a handle from one line of sight to another does to what it holds, scene coordinates: about the pivot, which stays where it is not moved.
/// `step`: of how far it moves, scene units; turns then go by 15 degrees, the scale by tenths; 0: freely. Nothing changes where the handle is seen edge on.
Similarity draggedBy(SceneHandle handle, const Vec3& pivot, const SceneRay& from, const SceneRay& to, double step = 0);

}  // namespace dusky
