#include "core/dense/zero_surface.h"

#include <openvdb/openvdb.h>
#include <openvdb/tools/VolumeToMesh.h>

#include <cmath>
#include <map>
#include <mutex>

namespace dusky {
namespace {

constexpr float kBeyond = 1000;  // Of cells of which nothing is known: before everything.
constexpr float kNear = 1.75F;   // Cells on both sides of the surface lie nearer.

class Blocks {
 public:
  Blocks(const std::vector<DistanceBlock>& blocks, float least_weight) : least_weight_(least_weight) {
    for (const DistanceBlock& block : blocks) places_[block.place] = &block;
  }
  struct Cell {
    const DistanceBlock* block = nullptr;
    std::size_t at = 0;
  };
  Cell cell(int x, int y, int z) const {
    const auto found = places_.find({x >> 3, y >> 3, z >> 3});
    if (found == places_.end()) return {};
    return {found->second, static_cast<std::size_t>(((x & 7) * kBlockSide + (y & 7)) * kBlockSide + (z & 7))};
  }
  /// Whether all around a place is known, and near the surface.
  bool holds(const Eigen::Vector3f& p) const {
    const int x = static_cast<int>(std::floor(p.x())), y = static_cast<int>(std::floor(p.y())), z = static_cast<int>(std::floor(p.z()));
    for (int k = 0; k < 8; ++k) {
      const auto [block, at] = cell(x + (k & 1), y + (k >> 1 & 1), z + (k >> 2));
      if (!block || block->weight[at] < least_weight_ || std::abs(block->distance[at]) > kNear) return false;
    }
    return true;
  }
  Rgb color(const Eigen::Vector3f& p) const {
    const auto [block, at] = cell(static_cast<int>(std::lround(p.x())), static_cast<int>(std::lround(p.y())), static_cast<int>(std::lround(p.z())));
    return block ? block->color[at] : Rgb{};
  }

 private:
  static_assert(kBlockSide == 8);
  std::map<std::array<int, 3>, const DistanceBlock*> places_;
  float least_weight_;
};

openvdb::FloatGrid::Ptr gridOf(const std::vector<DistanceBlock>& blocks) {
  static std::once_flag once;
  std::call_once(once, [] { openvdb::initialize(); });
  auto grid = openvdb::FloatGrid::create(kBeyond);
  grid->setGridClass(openvdb::GRID_LEVEL_SET);
  for (const DistanceBlock& block : blocks) {
    auto* leaf = grid->tree().touchLeaf(openvdb::Coord(block.place[0] * kBlockSide, block.place[1] * kBlockSide, block.place[2] * kBlockSide));
    for (std::size_t i = 0; i < DistanceBlock::kCells; ++i) {
      if (block.weight[i] > 0) leaf->setValueOn(static_cast<openvdb::Index>(i), block.distance[i]);
    }
  }
  return grid;
}

}  // namespace

SetMesh zeroSurface(const std::vector<DistanceBlock>& blocks, float least_weight) {
  std::vector<openvdb::Vec3s> points;
  std::vector<openvdb::Vec3I> triangles;
  std::vector<openvdb::Vec4I> quads;
  openvdb::tools::volumeToMesh(*gridOf(blocks), points, triangles, quads, 0.0, 0.0);
  const Blocks known(blocks, least_weight);
  SetMesh mesh;
  std::vector<std::uint8_t> kept;
  for (const openvdb::Vec3s& p : points) {
    mesh.points.emplace_back(p.x(), p.y(), p.z());
    kept.push_back(known.holds(mesh.points.back()));
    const Rgb c = known.color(mesh.points.back());
    mesh.colors.push_back({c.r, c.g, c.b});
  }
  // A library's triangles turn the other way round.
  const auto add = [&](std::uint32_t a, std::uint32_t b, std::uint32_t c) {
    if (kept[a] && kept[b] && kept[c]) mesh.triangles.push_back({a, c, b});
  };
  for (const openvdb::Vec3I& t : triangles) add(t[0], t[1], t[2]);
  for (const openvdb::Vec4I& q : quads) add(q[0], q[1], q[2]), add(q[0], q[2], q[3]);
  return mesh;
}

}  // namespace dusky
