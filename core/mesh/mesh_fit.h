#pragma once
#include "core/mesh/mesh_surface.h"

namespace dusky {

/// Where a point lies on the mesh, as somebody picked it.
struct MeshAnchor {
  std::size_t point = 0;  ///< Index.
  Vec3 at = Vec3::Zero();
  double sigma = 0;  ///< Of each axis, mesh units, > 0.
};

struct MeshFitOptions {
  bool free_scale = true;  ///< Else what is fitted keeps its size.
  double reach = 0;        ///< How far off the mesh a point may stand to have a part at first, mesh units; 0: a twentieth of the mesh's size.
};

/// How points were laid on a mesh.
struct MeshFit {
  Similarity mesh_from_before;  ///< Moves the points.
  struct Pair {
    std::size_t point = 0;   ///< Index.
    Vec3 at = Vec3::Zero();  ///< On the mesh, nearest to it.
    double off = 0;          ///< How far from it, mesh units.
  };
  std::vector<Pair> on;         ///< Those that lie on the mesh.
  std::size_t off = 0;          ///< How many do not: nothing of the mesh is near, or they stand out.
  double rms = 0;               ///< Of those that do, mesh units.
  Vec3 loosest = Vec3::Zero();  ///< The direction of the motion that holds it least, and how surely it is held:
  double loosest_sigma = 0;     ///< one standard deviation of sliding along it, mesh units; large where the set is one plane.
};

/// Moves, turns and (where free) scales points until they lie on the surface of a mesh as well as they can, from where they lie nearly: distances from the
/// planes of the nearest triangles (of a cloud: of the points beside the nearest one, or from that), outliers resisted. Anchors hold what the surface does not.
/// Sources: Chen and Medioni, "Object modelling by registration of multiple range images", 1992; Huber's weights; the median for the scale of the noise.
/// Errors: InvalidInput: too few points lie near the mesh, or neither mesh nor anchors hold them (a single plane; walls that meet in one corner say nothing of
/// the scale), or they come to lie far from the anchors.
Result<MeshFit> fitToMesh(const std::vector<Vec3>& points, const std::vector<MeshAnchor>& anchors, const MeshSurface& surface, const MeshFitOptions& options,
                          const Progress& progress);

}  // namespace dusky
