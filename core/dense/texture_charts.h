#pragma once
#include <Eigen/Geometry>
#include <cstdint>
#include <vector>

#include "core/mesh/set_mesh.h"

namespace dusky {

/// A view that a triangle could be taken from, and how well that shows it.
struct TextureChoice {
  int view = -1;
  double worth = 0;  ///< > 0.
};

/// Of each triangle the one view that it is taken from, -1 where it has no choice: the best, but for where keeping to its neighbours' costs little.
std::vector<int> chosenViews(const SetMesh& mesh, const std::vector<std::vector<TextureChoice>>& choices);

/// Triangles that hang together and are taken from one view.
struct TextureChart {
  int view = -1;
  std::vector<std::uint32_t> triangles;
};
/// In the order of their first triangles. Triangles without a view are in none.
std::vector<TextureChart> chartsOf(const SetMesh& mesh, const std::vector<int>& views);

}  // namespace dusky
