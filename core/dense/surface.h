#pragma once
#include "core/dense/dense_cloud.h"
#include "core/mesh/set_mesh.h"

namespace dusky {

struct SurfaceOptions {
  double cell = 0;         ///< Edge of a cell of the grid, scene units; 0: twice what a pixel covers, the middle point.
  int triangles = 200000;  ///< At most, where the surface can be told by so many; >= 100.
};

/// A surface, and how it was made.
struct Surface {
  SetMesh mesh;  ///< In the scene; triangles turn counterclockwise seen from outside; with colours.
  double cell = 0;
  std::size_t full = 0;     ///< Triangles before they were made fewer.
  double moved = kUnknown;  ///< Farthest that this moved the surface, about, scene units.
};

/// The surface that dense points lie on, open where there are none. Each cell of a grid near points has its distance to the planes of those around (implicit
/// moving least squares: Kolluri, ACM TALG 4(2), 2008); where that is zero and points lie near is the surface (OpenVDB's extraction by dual contouring), which
/// then loses the edges that show least (quadric errors, meshoptimizer). Pieces that are small for the rest are left out. The same with any number of threads.
/// Errors: InvalidInput: there are too few points, or so fine a grid does not fit into memory; Cancelled.
Result<Surface> surfaceOf(const DenseCloud& cloud, const Similarity& scene_from_solve, const SurfaceOptions& options, const Progress& progress);

}  // namespace dusky
