#include "core/track/sampling.h"

#include <Eigen/Dense>
#include <algorithm>
#include <cmath>

namespace dusky {
namespace {

std::vector<float> makeWindow(int radius) {
  const int side = 2 * radius + 1, stride = strideOf(side);
  std::vector<float> window(static_cast<std::size_t>(side) * stride);
  const float width = 0.5f / static_cast<float>(std::max(1, radius * radius));
  float total = 0;
  for (int y = 0; y < side; ++y) {
    for (int x = 0; x < side; ++x) {
      const int dx = x - radius, dy = y - radius;
      total += window[y * stride + x] = std::exp(-0.5f * width * static_cast<float>(dx * dx + dy * dy));
    }
  }
  for (float& w : window) w /= total;
  return window;
}

}  // namespace

namespace {

/// `row` points one px before and above the first place; rows lie `step` floats apart. Reads up to strideOf(side) + 3 floats of side + 3 rows.
void sampleRows(const float* row, int step, const std::array<float, 4>& wx, const std::array<float, 4>& wy, int side, float* out) {
  const int stride = strideOf(side);
  for (int block = 0; block < stride; block += 8) {
    const float* from = row + block;
    const auto across = [&]() -> Eight {
      const Eight sum = wx[0] * eightAt(from) + wx[1] * eightAt(from + 1) + wx[2] * eightAt(from + 2) + wx[3] * eightAt(from + 3);
      from += step;
      return sum;
    };
    Eight a = across(), b = across(), c = across();
    float* to = out + block;
    for (int j = 0; j < side; ++j, to += stride) {
      const Eight d = across();
      Eigen::Map<Eight>{to} = wy[0] * a + wy[1] * b + wy[2] * c + wy[3] * d;
      a = b, b = c, c = d;
    }
  }
}

}  // namespace

void sampleSquare(const FloatPlane& plane, float u, float v, int side, float* __restrict out) {
  const float x = u - 0.5f, y = v - 0.5f;
  const int ix = static_cast<int>(x), iy = static_cast<int>(y), wide = strideOf(side) + 3;
  const auto wx = cubicWeights(x - static_cast<float>(ix)), wy = cubicWeights(y - static_cast<float>(iy));
  // Whole vectors read past the side: harmless but at the very end of the picture.
  if (iy + side + 2 < plane.height || ix - 1 + wide <= plane.width) return sampleRows(plane.row(iy - 1) + ix - 1, plane.width, wx, wy, side, out);
  std::vector<float> last(static_cast<std::size_t>(side + 3) * wide, 0.0f);
  for (int j = 0; j < side + 3; ++j) std::copy_n(plane.row(iy - 1 + j) + ix - 1, side + 3, &last[static_cast<std::size_t>(j) * wide]);
  sampleRows(last.data(), wide, wx, wy, side, out);
}

namespace {

/// Bicubic values of eight places a step apart along a line. What has no neighbours is sampled at the nearest place that has.
void sampleEight(const FloatPlane& plane, float x0, float y0, float dx, float dy, float* __restrict out) {
  int first[8];
  float wx[4][8], wy[4][8];
  const float right = static_cast<float>(plane.width) - 3, below = static_cast<float>(plane.height) - 3;
  for (int i = 0; i < 8; ++i) {
    const float x = std::min(std::max(x0 + static_cast<float>(i) * dx, 1.5f), right), y = std::min(std::max(y0 + static_cast<float>(i) * dy, 1.5f), below);
    const int ix = static_cast<int>(x), iy = static_cast<int>(y);
    first[i] = (iy - 1) * plane.width + ix - 1;
    const auto ax = cubicWeights(x - static_cast<float>(ix)), ay = cubicWeights(y - static_cast<float>(iy));
    for (int k = 0; k < 4; ++k) wx[k][i] = ax[k], wy[k][i] = ay[k];
  }
  const float* values = plane.data.data();
  float sums[8] = {};
  for (int row = 0; row < 4; ++row) {
    float along[8] = {};
    for (int k = 0; k < 4; ++k) {
      for (int i = 0; i < 8; ++i) along[i] += wx[k][i] * values[first[i] + row * plane.width + k];
    }
    for (int i = 0; i < 8; ++i) sums[i] += wy[row][i] * along[i];
  }
  std::copy_n(sums, 8, out);
}

}  // namespace

bool sampleSheared(const FloatPlane& plane, const Eigen::Vector2f& corner, const Eigen::Matrix2f& across, int side, float* out) {
  const int stride = strideOf(side);
  const auto there = [&](int x, int y) {
    const Eigen::Vector2f at = corner + across * Eigen::Vector2f(static_cast<float>(x), static_cast<float>(y));
    return canSample(plane, at.x(), at.y());
  };
  const bool all = there(0, 0) && there(side - 1, 0) && there(0, side - 1) && there(side - 1, side - 1);
  bool known = true;
  for (int y = 0; y < side; ++y) {
    const Eigen::Vector2f begin = corner + static_cast<float>(y) * across.col(1);
    for (int x = 0; x < stride; x += 8) {
      const Eigen::Vector2f at = begin + static_cast<float>(x) * across.col(0);
      if (all) {
        sampleEight(plane, at.x() - 0.5f, at.y() - 0.5f, across(0, 0), across(1, 0), out + y * stride + x);
        continue;
      }
      for (int i = x; i < std::min(x + 8, side); ++i) {
        const Eigen::Vector2f p = begin + static_cast<float>(i) * across.col(0);
        const bool fine = canSample(plane, p.x(), p.y());
        out[y * stride + i] = fine ? sampleCubic(plane, p.x(), p.y()) : 0;
        known = known && fine;
      }
    }
  }
  return known;
}

const std::vector<float>& windowOf(int radius) {
  static const std::vector<std::vector<float>> all = [] {
    std::vector<std::vector<float>> made;
    for (int r = 0; r <= kLargestRadius; ++r) made.push_back(makeWindow(r));
    return made;
  }();
  return all[static_cast<std::size_t>(radius)];
}

Eigen::Vector2f eigenvaluesOf(const Eigen::Matrix2f& symmetric) {
  const float half = 0.5f * symmetric.trace(), apart = std::sqrt(std::max(0.0f, half * half - symmetric.determinant()));
  return {half - apart, half + apart};
}

bool alongAnEdge(const Eigen::Matrix2f& normal) {
  constexpr float kLeastRatio = 1e-3f;
  const Eigen::Vector2f values = eigenvaluesOf(normal);
  return values[0] < kLeastRatio * values[1];
}

}  // namespace dusky
