#pragma once
#include <cstdint>

namespace dusky {

/// What the program that reads meshes begins its answer with: this, then points (3 floats each), triangles (3 indices each) and colours (3 bytes each). With
/// another mark a sentence follows instead, to the end.
struct MeshStreamHead {
  static constexpr std::uint32_t kMesh = 0x6873656d, kRefusal = 0x73706f6f;
  std::uint32_t mark = kRefusal;
  std::uint64_t points = 0, triangles = 0, colors = 0;
};

}  // namespace dusky
