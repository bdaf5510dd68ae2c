#include "core/dense/smooth_map.h"

#include <array>
#include <cmath>
#include <vector>

#include "core/base/parallel.h"

namespace dusky {
namespace {

constexpr int kEvery = 2;  // Patches that overlap nearly say the same.
constexpr float kSharpest = 0.02F;

struct Neighbour {
  int dx, dy;
  float weight;
};

std::vector<Neighbour> neighboursWithin(int reach) {
  std::vector<Neighbour> all;
  const float spread = 0.6F * static_cast<float>(reach);
  for (int dy = -reach; dy <= reach; dy += kEvery)
    for (int dx = -reach; dx <= reach; dx += kEvery) all.push_back({dx, dy, std::exp(-0.5F * static_cast<float>(dx * dx + dy * dy) / (spread * spread))});
  return all;
}

/// The ray through a pixel's middle, 1 along the axis.
struct Rays {
  float fx, fy, cx, cy;
  explicit Rays(const Pinhole& camera)
      : fx(static_cast<float>(camera.fx)), fy(static_cast<float>(camera.fy)), cx(static_cast<float>(camera.cx)), cy(static_cast<float>(camera.cy)) {}
  float right(int x) const { return (static_cast<float>(x) + 0.5F - cx) / fx; }
  float down(int y) const { return (static_cast<float>(y) + 0.5F - cy) / fy; }
};

using Facet = std::array<float, 4>;  ///< Normal, and its product with the place that it lies at: 0 where it is not asked.

/// What each pixel knows of a plane, in camera axes.
Plane<Facet> facetsOf(const DepthMap& map, float most_cost) {
  Plane<Facet> facets(map.depth.width, map.depth.height);
  const Rays rays(map.camera);
  parallelFor(
      map.depth.height,
      [&](int y) {
        for (int x = 0; x < map.depth.width; ++x) {
          const float depth = map.depth.at(x, y);
          if (!(depth > 0) || map.cost.at(x, y) > most_cost) continue;
          const auto& n = map.normal.at(x, y);
          const float a = rays.right(x), b = rays.down(y);
          facets.at(x, y) = {n[0], n[1], n[2], depth * (n[0] * a + n[1] * b + n[2])};
        }
      },
      8);
  return facets;
}

void smoothOnce(DepthMap& map, const SmoothOptions& options, const std::vector<Neighbour>& neighbours) {
  const Plane<Facet> facets = facetsOf(map, options.most_cost);
  const auto most_apart = static_cast<float>(options.most_apart);
  const Rays rays(map.camera);
  parallelFor(
      map.depth.height,
      [&](int y) {
        for (int x = 0; x < map.depth.width; ++x) {
          if (facets.at(x, y)[3] == 0) continue;
          const float inverse = 1 / map.depth.at(x, y);
          const float a = rays.right(x), b = rays.down(y);
          float weights = 0, sum = 0;
          std::array<float, 3> normal = {};
          for (const auto& [dx, dy, near] : neighbours) {
            const int u = x + dx, v = y + dy;
            if (u < 0 || v < 0 || u >= map.depth.width || v >= map.depth.height) continue;
            const Facet& facet = facets.at(u, v);
            if (facet[3] == 0) continue;
            const float there = (facet[0] * a + facet[1] * b + facet[2]) / facet[3];  // the plane's inverse depth along this pixel's ray
            if (!(std::abs(there - inverse) <= most_apart * inverse)) continue;
            const float weight = near / (kSharpest + map.cost.at(u, v));
            weights += weight, sum += weight * there;
            for (std::size_t k = 0; k < 3; ++k) normal[k] += weight * facet[k];
          }
          const float length = std::sqrt(normal[0] * normal[0] + normal[1] * normal[1] + normal[2] * normal[2]);
          if (!(weights > 0) || !(length > 0)) continue;
          map.depth.at(x, y) = weights / sum;
          map.normal.at(x, y) = {normal[0] / length, normal[1] / length, normal[2] / length};
        }
      },
      8);
}

}  // namespace

void smoothFacets(DepthMap& map, const SmoothOptions& options) {
  const std::vector<Neighbour> neighbours = neighboursWithin(options.reach_px);
  for (int round = 0; round < options.rounds; ++round) smoothOnce(map, options, neighbours);
}

}  // namespace dusky
