#pragma once
#include <cstdint>
#include <stop_token>
#include <vector>

#include "core/image/plane.h"
#include "core/scene/mesh_in_scene.h"
#include "core/scene/seen_scene.h"

namespace dusky {

/// How test objects and the mesh of the set go together in a picture: 255 where it is so, else 0; both empty where there is nothing to tell.
struct ObjectsOnMesh {
  Plane<std::uint8_t> hidden;  ///< The mesh stands before an object.
  Plane<std::uint8_t> shadow;  ///< The mesh is seen, and lies in an object's shadow.
};

/// By rays through the lens at the middle of each px of an image so wide. What stands nearer to an object than a fiftieth of its distance does not hide it:
/// meshes of dense points are no smoother. A cloud of points hides nothing. Stopped, what it gives is not whole.
ObjectsOnMesh objectsOnMesh(const SceneCamera& camera, const MeshSurface& surface, const MeshSettings& mesh, const std::vector<SolidFace>& objects, int width,
                            std::stop_token stop = {});

}  // namespace dusky
