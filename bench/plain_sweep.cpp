#include "bench/plain_sweep.h"

#include <algorithm>
#include <array>
#include <cmath>
#include <vector>

#include "core/base/parallel.h"
#include "core/image/pyramid.h"

namespace dusky::testing {
namespace {

constexpr int kPlanes = 96, kReach = 3;

/// Means over windows, by running sums.
FloatPlane windowMeans(const FloatPlane& of) {
  FloatPlane rows(of.width, of.height), out(of.width, of.height);
  constexpr float kShare = 1.0F / ((2 * kReach + 1) * (2 * kReach + 1));
  for (int y = 0; y < of.height; ++y) {
    const float* in = of.row(y);
    float sum = 0;
    for (int x = -kReach; x <= kReach; ++x) sum += in[std::clamp(x, 0, of.width - 1)];
    for (int x = 0; x < of.width; ++x) {
      rows.at(x, y) = sum;
      sum += in[std::min(x + kReach + 1, of.width - 1)] - in[std::max(x - kReach, 0)];
    }
  }
  std::vector<float> sums(static_cast<std::size_t>(of.width), 0.0F);
  for (int y = -kReach; y <= kReach; ++y) {
    for (int x = 0; x < of.width; ++x) sums[static_cast<std::size_t>(x)] += rows.at(x, std::clamp(y, 0, of.height - 1));
  }
  for (int y = 0; y < of.height; ++y) {
    const float *enter = rows.row(std::min(y + kReach + 1, of.height - 1)), *leave = rows.row(std::max(y - kReach, 0));
    float* to = out.row(y);
    for (int x = 0; x < of.width; ++x) {
      to[x] = sums[static_cast<std::size_t>(x)] * kShare;
      sums[static_cast<std::size_t>(x)] += enter[x] - leave[x];
    }
  }
  return out;
}

FloatPlane times(const FloatPlane& a, const FloatPlane& b) {
  FloatPlane out = FloatPlane::unset(a.width, a.height);
  for (std::size_t i = 0; i < a.data.size(); ++i) out.data[i] = a.data[i] * b.data[i];
  return out;
}

FloatPlane warped(const MatchPicture& reference, const MatchPicture& neighbour, double depth) {
  FloatPlane out = FloatPlane::unset(reference.grey.width, reference.grey.height);
  const Pinhole &from = reference.camera, &to = neighbour.camera;
  const Vec3 corner = to.pose.toCamera(from.place({0.5, 0.5}, depth)), right = (to.pose.toCamera(from.place({1.5, 0.5}, depth)) - corner),
             down = (to.pose.toCamera(from.place({0.5, 1.5}, depth)) - corner);
  for (int y = 0; y < out.height; ++y) {
    for (int x = 0; x < out.width; ++x) {
      const Vec3 p = corner + x * right + y * down;
      const auto u = static_cast<float>(to.fx * p.x() / p.z() + to.cx), v = static_cast<float>(to.fy * p.y() / p.z() + to.cy);
      out.at(x, y) = sampleLinear(neighbour.grey, u, v);
    }
  }
  return out;
}

}  // namespace

FloatPlane plainSweep(const MatchPicture& reference, std::span<const MatchPicture* const> neighbours, const InverseDepthRange& range) {
  const FloatPlane& grey = reference.grey;
  const FloatPlane mean = windowMeans(grey), squares = windowMeans(times(grey, grey));
  std::vector<FloatPlane> costs(kPlanes);
  const double step = (range.near - range.far) / (kPlanes - 1);
  parallelFor(kPlanes, [&](int plane) {
    std::vector<FloatPlane> each;
    for (const MatchPicture* neighbour : neighbours) {
      const FloatPlane seen = warped(reference, *neighbour, 1 / (range.far + plane * step));
      const FloatPlane m = windowMeans(seen), s = windowMeans(times(seen, seen)), both = windowMeans(times(seen, grey));
      FloatPlane cost = FloatPlane::unset(grey.width, grey.height);
      for (std::size_t i = 0; i < cost.data.size(); ++i) {
        const float here = squares.data[i] - mean.data[i] * mean.data[i], there = s.data[i] - m.data[i] * m.data[i];
        cost.data[i] = 1 - (both.data[i] - m.data[i] * mean.data[i]) / std::sqrt((here + 1) * (there + 1));
      }
      each.push_back(std::move(cost));
    }
    FloatPlane& sum = costs[static_cast<std::size_t>(plane)];
    sum = FloatPlane::unset(grey.width, grey.height);
    const std::size_t good = (each.size() + 1) / 2;
    std::vector<float> at(each.size());
    for (std::size_t i = 0; i < sum.data.size(); ++i) {
      for (std::size_t k = 0; k < each.size(); ++k) at[k] = each[k].data[i];
      std::sort(at.begin(), at.end());
      sum.data[i] = 0;
      for (std::size_t k = 0; k < good; ++k) sum.data[i] += at[k];
    }
  });
  FloatPlane depth(grey.width, grey.height);
  for (std::size_t i = 0; i < depth.data.size(); ++i) {
    int best = 0;
    for (int p = 1; p < kPlanes; ++p) {
      if (costs[static_cast<std::size_t>(p)].data[i] < costs[static_cast<std::size_t>(best)].data[i]) best = p;
    }
    double between = 0;
    if (best > 0 && best + 1 < kPlanes) {
      const auto at = [&](int p) { return static_cast<double>(costs[static_cast<std::size_t>(p)].data[i]); };
      const double left = at(best - 1) - at(best), right = at(best + 1) - at(best);
      if (left + right > 0) between = 0.5 * (left - right) / (left + right);
    }
    depth.data[i] = static_cast<float>(1 / (range.far + (best + between) * step));
  }
  return depth;
}

}  // namespace dusky::testing
