#pragma once
#include <stop_token>

#include "core/image/plane.h"
#include "core/scene/mesh_in_scene.h"
#include "core/scene/seen_scene.h"

namespace dusky {

/// Edges of a mesh through the lens, lines of several points, px. `hidden_removed`: without what stands behind its surface.
std::vector<std::vector<Vec2>> edgesSeen(const SceneCamera& camera, const SetMesh& drawn, const std::vector<MeshEdge>& edges, const MeshSurface& surface,
                                         const MeshSettings& mesh, bool hidden_removed, std::stop_token stop = {});

/// How light the surface is where a camera sees it, 0 to 1, lit from the camera's side; below 0 where it sees none. `width`: of the image; a px of it is
/// looked at in its middle, through the lens. A cloud of points has no surface.
Plane<float> shadeSeen(const SceneCamera& camera, const MeshSurface& surface, const MeshSettings& mesh, int width, std::stop_token stop = {});

/// The same for a face, seen in a direction.
double facingLight(const Vec3& normal, const Vec3& towards);

}  // namespace dusky
