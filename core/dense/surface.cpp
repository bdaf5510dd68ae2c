#include "core/dense/surface.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <numeric>
#include <span>

#include "core/base/numbers.h"
#include "core/base/parallel.h"
#include "core/dense/byte_of.h"
#include "core/dense/zero_surface.h"

namespace dusky {
namespace {

constexpr std::size_t kMostBlocks = 400'000;
constexpr double kReach = 2.5;         // Of a point, in its own sizes.
constexpr double kLargest = 3;         // Size of a point, in cells.
constexpr float kLeastWeight = 0.35F;  // Beside what a point right there has: less is beyond the points' edge.
constexpr std::size_t kLeastPoints = 100;

/// A point as the grid sees it.
struct Splat {
  Eigen::Vector3f at, normal;  ///< In cells from the grid's origin.
  float reach = 0;             ///< In cells.
  Rgb color;
};

struct Entry {
  std::array<int, 3> block;
  std::uint32_t splat;
  bool operator<(const Entry& other) const { return block != other.block ? block < other.block : splat < other.splat; }
};

int blockOf(float cell) { return static_cast<int>(std::floor(cell / kBlockSide)); }

/// Each point with every block that it reaches into, block by block.
std::vector<Entry> entriesOf(const std::vector<Splat>& splats) {
  std::vector<Entry> entries;
  entries.reserve(2 * splats.size());
  for (std::size_t s = 0; s < splats.size(); ++s) {
    std::array<int, 3> low{}, high{};
    for (int a = 0; a < 3; ++a) {
      low[static_cast<std::size_t>(a)] = blockOf(splats[s].at[a] - splats[s].reach);
      high[static_cast<std::size_t>(a)] = blockOf(splats[s].at[a] + splats[s].reach);
    }
    for (int z = low[2]; z <= high[2]; ++z)
      for (int y = low[1]; y <= high[1]; ++y)
        for (int x = low[0]; x <= high[0]; ++x) entries.push_back({{x, y, z}, static_cast<std::uint32_t>(s)});
  }
  std::sort(entries.begin(), entries.end());
  return entries;
}

/// What one cell has heard of the points around.
struct Sums {
  float weight = 0, distance = 0;
  std::array<float, 3> color = {};
};

void addSplat(const Splat& splat, const std::array<int, 3>& block, std::vector<Sums>& sums) {
  std::array<int, 3> low{}, high{};
  for (std::size_t a = 0; a < 3; ++a) {
    const float at = splat.at[static_cast<int>(a)] - static_cast<float>(block[a] * kBlockSide);
    low[a] = std::max(0, static_cast<int>(std::ceil(at - splat.reach)));
    high[a] = std::min(kBlockSide - 1, static_cast<int>(std::floor(at + splat.reach)));
  }
  const float reach_squared = splat.reach * splat.reach;
  // A larger point stands for more surface, and says less of each place.
  const float worth = 1 / reach_squared;
  for (int x = low[0]; x <= high[0]; ++x) {
    for (int y = low[1]; y <= high[1]; ++y) {
      for (int z = low[2]; z <= high[2]; ++z) {
        const Eigen::Vector3f to = Eigen::Vector3f(static_cast<float>(block[0] * kBlockSide + x), static_cast<float>(block[1] * kBlockSide + y),
                                                   static_cast<float>(block[2] * kBlockSide + z)) -
                                   splat.at;
        const float near = 1 - to.squaredNorm() / reach_squared;
        if (near <= 0) continue;
        const float weight = worth * near * near * near * near;
        Sums& sum = sums[static_cast<std::size_t>((x * kBlockSide + y) * kBlockSide + z)];
        sum.weight += weight, sum.distance += weight * splat.normal.dot(to);
        sum.color[0] += weight * static_cast<float>(splat.color.r);
        sum.color[1] += weight * static_cast<float>(splat.color.g);
        sum.color[2] += weight * static_cast<float>(splat.color.b);
      }
    }
  }
}

DistanceBlock blockFrom(const std::vector<Splat>& splats, std::span<const Entry> entries) {
  DistanceBlock block{.place = entries.front().block};
  std::vector<Sums> sums(block.distance.size());
  for (const Entry& entry : entries) addSplat(splats[entry.splat], block.place, sums);
  for (std::size_t i = 0; i < sums.size(); ++i) {
    const Sums& sum = sums[i];
    if (!(sum.weight > 0)) continue;
    block.distance[i] = sum.distance / sum.weight;
    block.weight[i] = sum.weight;
    block.color[i] = {byteOf(sum.color[0] / sum.weight), byteOf(sum.color[1] / sum.weight), byteOf(sum.color[2] / sum.weight)};
  }
  return block;
}

/// Where the entries of each block begin, and the end of all.
std::vector<std::size_t> beginsOf(const std::vector<Entry>& entries) {
  std::vector<std::size_t> begins;
  for (std::size_t e = 0; e < entries.size(); ++e) {
    if (e == 0 || entries[e].block != entries[e - 1].block) begins.push_back(e);
  }
  begins.push_back(entries.size());
  return begins;
}

std::vector<DistanceBlock> blocksOf(const std::vector<Splat>& splats, const std::vector<Entry>& entries, const std::vector<std::size_t>& begins,
                                    const Progress& progress) {
  std::vector<DistanceBlock> blocks(begins.size() - 1);
  constexpr std::size_t kAtOnce = 2000;
  for (std::size_t from = 0; from < blocks.size() && !progress.stopRequested(); from += kAtOnce) {
    progress.report(static_cast<double>(from) / static_cast<double>(blocks.size()), "surface of the dense points");
    parallelFor(static_cast<int>(std::min(kAtOnce, blocks.size() - from)), [&](int i) {
      const std::size_t b = from + static_cast<std::size_t>(i);
      blocks[b] = blockFrom(splats, std::span(entries).subspan(begins[b], begins[b + 1] - begins[b]));
    });
  }
  return blocks;
}

/// Connected pieces of fewer triangles than a share of the largest go.
void dropSmallPieces(SetMesh& mesh) {
  constexpr double kLeastShare = 0.002;
  constexpr std::size_t kLeastTriangles = 24;
  std::vector<std::uint32_t> root(mesh.points.size());
  std::iota(root.begin(), root.end(), 0U);
  const auto find = [&](std::uint32_t i) {
    while (root[i] != i) i = root[i] = root[root[i]];
    return i;
  };
  for (const auto& t : mesh.triangles) root[find(t[1])] = find(t[0]), root[find(t[2])] = find(t[0]);
  std::vector<std::size_t> count(mesh.points.size(), 0);
  for (const auto& t : mesh.triangles) ++count[find(t[0])];
  const std::size_t largest = count.empty() ? 0 : *std::max_element(count.begin(), count.end());
  const std::size_t least = std::max(kLeastTriangles, static_cast<std::size_t>(kLeastShare * static_cast<double>(largest)));
  std::erase_if(mesh.triangles, [&](const auto& t) { return count[find(t[0])] < least; });
}

}  // namespace

Result<Surface> surfaceOf(const DenseCloud& cloud, const Similarity& scene_from_solve, const SurfaceOptions& options, const Progress& progress) {
  if (cloud.points.size() < kLeastPoints)
    return invalidInput(fmt::format("A surface needs {} dense points at least; there are {}.", kLeastPoints, cloud.points.size()));
  std::vector<double> pixels;
  for (const DensePoint& p : cloud.points) pixels.push_back(static_cast<double>(p.pixel) * scene_from_solve.scale);
  const double cell = options.cell > 0 ? options.cell : 2 * median(std::move(pixels));
  if (!(cell > 0)) return invalidInput("The dense points do not say how large a pixel is there: make them again.");
  const Vec3 origin = scene_from_solve * cloud.points.front().at.cast<double>();
  const Eigen::Quaternionf turn = scene_from_solve.rotation.cast<float>();
  std::vector<Splat> splats;
  splats.reserve(cloud.points.size());
  for (const DensePoint& p : cloud.points) {
    const double size = std::clamp(1.5 * static_cast<double>(p.pixel) * scene_from_solve.scale / cell, 1.0, kLargest);
    const Vec3 at = (scene_from_solve * p.at.cast<double>() - origin) / cell;
    if (at.cwiseAbs().maxCoeff() > 1e6) continue;  // farther than a grid reaches
    splats.push_back({at.cast<float>(), (turn * p.normal).normalized(), static_cast<float>(kReach * size), p.color});
  }
  progress.report(0.02, "surface of the dense points");
  const std::vector<Entry> entries = entriesOf(splats);
  const std::vector<std::size_t> begins = beginsOf(entries);
  if (begins.size() - 1 > kMostBlocks)
    return invalidInput(fmt::format("So fine a surface needs {} blocks of its grid, over the {} that fit. Set a spacing, or cut the region down.",
                                    begins.size() - 1, kMostBlocks));
  const std::vector<DistanceBlock> blocks = blocksOf(splats, entries, begins, progress.part(0.05, 0.6));
  if (progress.stopRequested()) return cancelled();
  progress.report(0.6, "triangles of the surface");
  Surface surface{.mesh = zeroSurface(blocks, kLeastWeight / static_cast<float>(kReach * kReach)), .cell = cell};
  dropSmallPieces(surface.mesh);
  if (surface.mesh.triangles.empty())
    return invalidInput("The dense points lie too far apart for a surface. Make them at a better quality, or loosen the clean-up.");
  if (progress.stopRequested()) return cancelled();
  progress.report(0.8, "making the triangles fewer");
  surface.full = surface.mesh.triangles.size();
  double moved_cells = 0;
  surface.mesh = decimated(surface.mesh, static_cast<std::size_t>(std::max(options.triangles, 1)), moved_cells);
  surface.moved = moved_cells * cell;
  for (auto& p : surface.mesh.points) p = (origin + cell * p.cast<double>()).cast<float>();
  return surface;
}

}  // namespace dusky
