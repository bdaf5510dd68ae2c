#pragma once
#include <array>
#include <cstdint>
#include <vector>

#include "core/image/plane.h"
#include "core/mesh/set_mesh.h"

namespace dusky {

inline constexpr int kBlockSide = 8;

/// So many cells along each axis of a grid, z fastest.
struct DistanceBlock {
  std::array<int, 3> place = {};  ///< In blocks.
  static constexpr std::size_t kCells = kBlockSide * kBlockSide * kBlockSide;
  std::vector<float> distance = std::vector<float>(kCells, 0);  ///< From the surface, positive before it, in cells; meaningless without weight.
  std::vector<float> weight = std::vector<float>(kCells, 0);    ///< 0: nothing is known.
  std::vector<Rgb> color = std::vector<Rgb>(kCells);
};

/// Where the distance is zero among cells that have this weight each: triangles in cells from the grid's origin, with colours. By OpenVDB's volumeToMesh.
/// `blocks`: each place once.
SetMesh zeroSurface(const std::vector<DistanceBlock>& blocks, float least_weight);

}  // namespace dusky
