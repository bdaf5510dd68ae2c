#pragma once
#include <Eigen/Core>
#include <array>
#include <vector>

#include "core/image/plane.h"

namespace dusky {

// Bicubic sampling (Catmull and Rom, 1974) and the weights of a window, shared by everything that aligns pieces of pictures.

inline constexpr int kLargestRadius = 62;

/// Eight floats at a time: what the loops over samples run in.
using Eight = Eigen::Array<float, 8, 1>;
inline Eigen::Map<const Eight> eightAt(const float* values) { return Eigen::Map<const Eight>(values); }

/// Weights of the four neighbours at fraction t.
inline std::array<float, 4> cubicWeights(float t) {
  return {((-0.5f * t + 1) * t - 0.5f) * t, (1.5f * t - 2.5f) * t * t + 1, ((-1.5f * t + 2) * t + 0.5f) * t, (0.5f * t - 0.5f) * t * t};
}

/// Bicubic value at continuous (u, v), at least 1.5 px inside the plane.
inline float sampleCubic(const FloatPlane& plane, float u, float v) {
  using Four = Eigen::Array4f;
  const float x = u - 0.5f, y = v - 0.5f;
  const int ix = static_cast<int>(x), iy = static_cast<int>(y);
  const auto wx = cubicWeights(x - static_cast<float>(ix)), wy = cubicWeights(y - static_cast<float>(iy));
  const float* row = plane.row(iy - 1) + ix - 1;
  Four sum = wy[0] * Eigen::Map<const Four>(row);
  for (int j = 1; j < 4; ++j) sum += wy[j] * Eigen::Map<const Four>(row + j * plane.width);
  return (sum * Eigen::Map<const Four>(wx.data())).sum();
}

/// Floats from one row of a sampled square to the next: whole vectors, so that no row needs single steps. What lies between the side and
/// the stride means nothing.
inline int strideOf(int side) { return (side + 7) / 8 * 8; }

/// Bicubic values of side x side places one pixel apart, the first at (u, v): all share their weights, so rows run in vectors.
/// `out` holds side * strideOf(side) values.
void sampleSquare(const FloatPlane& plane, float u, float v, int side, float* out);

/// Bicubic values of side x side places, the first at `corner`, steps of `across`'s columns apart. `out` holds side rows of strideOf(side)
/// values. False when some had no neighbours to be sampled from: they are 0.
bool sampleSheared(const FloatPlane& plane, const Eigen::Vector2f& corner, const Eigen::Matrix2f& across, int side, float* out);

/// Whether a bicubic sample at (u, v) has all its neighbours.
inline bool canSample(const FloatPlane& plane, float u, float v) {
  return u >= 2.0f && v >= 2.0f && u <= static_cast<float>(plane.width) - 2.5f && v <= static_cast<float>(plane.height) - 2.5f;
}
/// The same for all of a square of half side `reach` about a centre.
inline bool canSampleSquare(const FloatPlane& plane, const Eigen::Vector2f& centre, float reach) {
  return canSample(plane, centre.x() - reach, centre.y() - reach) && canSample(plane, centre.x() + reach, centre.y() + reach);
}

/// Gaussian weights of a window of (2 radius + 1)^2 px in rows of strideOf(2 radius + 1), sum 1, 0 between side and stride; made once.
const std::vector<float>& windowOf(int radius);

/// The smaller and the larger eigenvalue.
Eigen::Vector2f eigenvaluesOf(const Eigen::Matrix2f& symmetric);

/// Whether a shift along one direction changes (nearly) nothing.
bool alongAnEdge(const Eigen::Matrix2f& normal);

}  // namespace dusky
