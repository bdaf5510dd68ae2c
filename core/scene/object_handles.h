#pragma once
#include <vector>

#include "core/scene/scene_ray.h"
#include "core/scene/test_object.h"

namespace dusky {

enum class ObjectHandle { Move, Turn, Size };

/// Where a test object is held to move, turn and scale it, scene coordinates: all on the plane that it stands on.
struct ObjectHandles {
  Vec3 move, turn, size;
  std::vector<Vec3> ring;  ///< The circle on which the handle for turning runs, closed.
};

/// Nothing where the object's track has no place.
std::optional<ObjectHandles> handlesOf(const TestObject& object, const Solution& solution, const SceneFrame& scene);

/// Id of the nearest test object on a line of sight; 0: none.
/// Source: Möller and Trumbore, "Fast, minimum storage ray/triangle intersection", 1997.
int objectAt(const SceneRay& ray, const std::vector<TestObject>& objects, const Solution& solution, const SceneFrame& scene);

/// The object after one of its handles was dragged from one line of sight to another: moved along its plane, turned about its foot, or scaled by how much
/// farther from the foot it is held. Seen edge on it moves along what is seen of the plane, and is not turned. Unchanged where the plane is not met.
TestObject draggedObject(const TestObject& object, ObjectHandle handle, const SceneRay& from, const SceneRay& to, const Solution& solution,
                         const SceneFrame& scene);

}  // namespace dusky
