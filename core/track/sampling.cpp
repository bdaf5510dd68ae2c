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
