#pragma once
#include <memory>
#include <optional>

#include "core/geometry/pose.h"
#include "core/mesh/set_mesh.h"

namespace dusky {

/// A place on a mesh, in its own units and axes.
struct MeshPoint {
  Vec3 at = Vec3::Zero();
  Vec3 normal = Vec3::Zero();  ///< Of length 1, on no particular side; zero where a cloud of points does not say.
  double away = 0;             ///< From where it was looked for.
};

/// A mesh that can be looked for: what a line of sight meets, and what is nearest to a place. Safe for several threads at once.
class MeshSurface {
 public:
  /// Errors: InvalidInput: there is not memory enough for it; Cancelled.
  static Result<std::shared_ptr<const MeshSurface>> make(SetMeshPtr mesh, const Progress& progress);
  ~MeshSurface();
  MeshSurface(const MeshSurface&) = delete;
  MeshSurface& operator=(const MeshSurface&) = delete;

  const SetMesh& mesh() const { return *mesh_; }
  const SetMeshPtr& shared() const { return mesh_; }

  /// The first triangle along a line of sight. Of a cloud the first point that is seen within an angle of it.
  std::optional<MeshPoint> hit(const Vec3& from, const Vec3& direction, double within_rad = 0.003) const;
  /// Whether something of the surface stands between two places; of a cloud never.
  bool hides(const Vec3& from, const Vec3& to) const;
  /// Nothing where it is farther off than `reach`.
  std::optional<MeshPoint> nearest(const Vec3& place, double reach) const;

 private:
  struct Scene;
  MeshSurface(SetMeshPtr mesh, std::unique_ptr<Scene> scene);
  std::optional<MeshPoint> nearestOfCloud(const Vec3& place, double reach) const;
  std::optional<MeshPoint> hitCloud(const Vec3& from, const Vec3& direction, double within_rad) const;

  SetMeshPtr mesh_;
  std::unique_ptr<Scene> scene_;
};
using MeshSurfacePtr = std::shared_ptr<const MeshSurface>;

}  // namespace dusky
