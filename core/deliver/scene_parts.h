#pragma once
#include "core/deliver/delivery_view.h"

namespace dusky {

/// Something of the set in a 3D scene besides camera and points; in the delivery's world, Y up.
struct ScenePart {
  std::string name;  ///< As nodes may be called: letters, digits and _.
  std::vector<Vec3> places;
  std::vector<std::array<std::uint32_t, 3>> triangles;  ///< None: places alone.
  std::array<double, 3> tint = {0.7, 0.7, 0.7};         ///< Linear light, 0 to 1.
  bool see_through = false;                             ///< A help, no thing.
};

/// Planes and lines that shaped the solve, survey points, test objects, and the set's mesh, of at most kMostMeshTriangles. Errors: what reading the mesh says;
/// Cancelled.
inline constexpr std::size_t kMostMeshTriangles = 400000;
Result<std::vector<ScenePart>> scenePartsOf(const DeliveryInput& input, const DeliveryView& view, const Progress& progress);

}  // namespace dusky
