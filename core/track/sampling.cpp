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

void sampleSquare(const FloatPlane& plane, float u, float v, int side, float* __restrict out) {
  const float x = u - 0.5f, y = v - 0.5f;
  const int ix = static_cast<int>(x), iy = static_cast<int>(y), stride = strideOf(side);
  const auto wx = cubicWeights(x - static_cast<float>(ix)), wy = cubicWeights(y - static_cast<float>(iy));
  // Reading past the side is harmless but at the very end of the picture.
  const bool at_end = iy + side + 2 >= plane.height && ix + stride + 2 >= plane.width;
  const int width = at_end ? side : stride;
  constexpr int kWidest = 2 * kLargestRadius + 12;
  float across[4][kWidest] = {};  // a ring of rows
  const auto sweep = [&](int j) {
    const float* row = plane.row(iy - 1 + j) + ix - 1;
    float* __restrict to = across[j % 4];
    for (int i = 0; i < width; ++i) to[i] = wx[0] * row[i] + wx[1] * row[i + 1] + wx[2] * row[i + 2] + wx[3] * row[i + 3];
  };
  for (int j = 0; j < 3; ++j) sweep(j);
  for (int j = 0; j < side; ++j) {
    sweep(j + 3);
    const float *a = across[j % 4], *b = across[(j + 1) % 4], *c = across[(j + 2) % 4], *d = across[(j + 3) % 4];
    float* to = out + j * stride;
    for (int i = 0; i < stride; ++i) to[i] = wy[0] * a[i] + wy[1] * b[i] + wy[2] * c[i] + wy[3] * d[i];
  }
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
