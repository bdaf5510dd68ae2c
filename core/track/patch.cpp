#include "core/track/patch.h"

#include <Eigen/Dense>
#include <array>
#include <cmath>

namespace dusky {
namespace {

/// Bicubic value (Catmull and Rom, 1974) at continuous (u, v), at least 1.5 px inside the plane.
float sampleCubic(const FloatPlane& plane, float u, float v) {
  const float x = u - 0.5f, y = v - 0.5f;
  const int ix = static_cast<int>(x), iy = static_cast<int>(y);
  const auto weights = [](float t, float* w) {
    w[0] = ((-0.5f * t + 1) * t - 0.5f) * t;
    w[1] = (1.5f * t - 2.5f) * t * t + 1;
    w[2] = ((-1.5f * t + 2) * t + 0.5f) * t;
    w[3] = (0.5f * t - 0.5f) * t * t;
  };
  float wx[4], wy[4];
  weights(x - static_cast<float>(ix), wx);
  weights(y - static_cast<float>(iy), wy);
  const float* row = plane.row(iy - 1) + ix - 1;
  float sum = 0;
  for (int j = 0; j < 4; ++j, row += plane.width) sum += wy[j] * (wx[0] * row[0] + wx[1] * row[1] + wx[2] * row[2] + wx[3] * row[3]);
  return sum;
}

bool inside(const FloatPlane& plane, float u, float v) {
  return u >= 2.0f && v >= 2.0f && u <= static_cast<float>(plane.width) - 2.5f && v <= static_cast<float>(plane.height) - 2.5f;
}

}  // namespace

Patch::Patch(const FloatPlane& plane, const Eigen::Vector2f& centre, int radius, Motion motion) : motion_(motion), radius_(radius) {
  const int side = 2 * radius + 1, wide = side + 2, count = side * side;
  const float reach = static_cast<float>(radius + 1);
  if (!inside(plane, centre.x() - reach, centre.y() - reach) || !inside(plane, centre.x() + reach, centre.y() + reach)) return;
  std::vector<float> block(wide * wide);
  for (int y = 0; y < wide; ++y) {
    for (int x = 0; x < wide; ++x) block[y * wide + x] = sampleCubic(plane, centre.x() + static_cast<float>(x) - reach, centre.y() + static_cast<float>(y) - reach);
  }
  values_.resize(count);
  weights_.resize(count);
  Eigen::Matrix<float, Eigen::Dynamic, 6> slopes(count, 6);
  float total = 0;
  const float width = 2.0f / static_cast<float>(radius * radius);
  for (int y = 0; y < side; ++y) {
    for (int x = 0; x < side; ++x) {
      const int i = y * side + x;
      const float* p = &block[(y + 1) * wide + x + 1];
      const float gx = 0.5f * (p[1] - p[-1]), gy = 0.5f * (p[wide] - p[-wide]);
      const float dx = static_cast<float>(x - radius), dy = static_cast<float>(y - radius);
      values_[i] = *p;
      weights_[i] = std::exp(-0.5f * width * (dx * dx + dy * dy));
      total += weights_[i];
      slopes.row(i) << gx, gy, gx * dx, gy * dx, gx * dy, gy * dy;
    }
  }
  for (float& w : weights_) w /= total;
  if (motion == Motion::Shift) prepare<2>(slopes.leftCols<2>());
  else prepare<6>(slopes);
}

template <int N>
void Patch::prepare(const Eigen::Matrix<float, Eigen::Dynamic, N>& given) {
  const Eigen::Map<const Eigen::VectorXf> weights(weights_.data(), static_cast<Eigen::Index>(weights_.size()));
  Eigen::Map<Eigen::VectorXf> values(values_.data(), static_cast<Eigen::Index>(values_.size()));
  values.array() -= weights.dot(values);
  const float contrast = std::sqrt(weights.dot(values.cwiseAbs2()));
  if (!(contrast > 0.5f)) return values_.clear();
  values /= contrast;
  // Slopes without what a gain or a bias would explain.
  Eigen::Matrix<float, Eigen::Dynamic, N> slopes = given / contrast;
  for (int k = 0; k < N; ++k) {
    slopes.col(k).array() -= weights.dot(slopes.col(k));
    slopes.col(k) -= weights.dot(slopes.col(k).cwiseProduct(values)) * values;
  }
  Eigen::Matrix<float, N, N> normal = slopes.transpose() * weights.asDiagonal() * slopes;
  if (N > 2) {
    // Shape changes are small from frame to frame: hold them where the texture says little.
    const float floor = 1e-3f * normal.diagonal().template tail<N - 2>().maxCoeff();
    normal.diagonal().template tail<N - 2>().array() += floor;
  }
  const Eigen::LDLT<Eigen::Matrix<float, N, N>> solver(normal);
  if (solver.info() != Eigen::Success || !(solver.rcond() > 1e-9f)) return values_.clear();
  const Eigen::Matrix<float, N, Eigen::Dynamic> update = solver.solve(Eigen::Matrix<float, N, Eigen::Dynamic>(slopes.transpose() * weights.asDiagonal()));
  update_.resize(static_cast<std::size_t>(N) * values_.size());
  Eigen::Map<Eigen::Matrix<float, N, Eigen::Dynamic, Eigen::RowMajor>>(update_.data(), N, update.cols()) = update;
}

bool Patch::fits(const FloatPlane& plane, const PatchWarp& warp) const {
  const float r = static_cast<float>(radius_);
  const std::array<Eigen::Vector2f, 4> corners = {Eigen::Vector2f(-r, -r), Eigen::Vector2f(r, -r), Eigen::Vector2f(-r, r), Eigen::Vector2f(r, r)};
  for (const Eigen::Vector2f& corner : corners) {
    const Eigen::Vector2f at = warp.matrix * corner + warp.centre;
    if (!inside(plane, at.x(), at.y())) return false;
  }
  return true;
}

void Patch::sample(const FloatPlane& plane, const PatchWarp& warp, std::vector<float>& out) const {
  const int side = 2 * radius_ + 1;
  for (int y = 0, i = 0; y < side; ++y) {
    Eigen::Vector2f at = warp.matrix * Eigen::Vector2f(static_cast<float>(-radius_), static_cast<float>(y - radius_)) + warp.centre;
    for (int x = 0; x < side; ++x, ++i, at += warp.matrix.col(0)) out[i] = sampleCubic(plane, at.x(), at.y());
  }
}

bool Patch::apply(const float* step, PatchWarp& warp) const {
  Eigen::Matrix2f change = Eigen::Matrix2f::Identity();
  if (motion_ == Motion::Affine) change << 1 + step[2], step[4], step[3], 1 + step[5];
  const Eigen::Matrix2f inverse = change.inverse();
  const Eigen::Matrix2f moved = warp.matrix * inverse;
  if (!moved.allFinite() || std::abs(moved.determinant()) < 0.05f || std::abs(moved.determinant()) > 20.0f) return false;
  warp.centre -= moved * Eigen::Vector2f(step[0], step[1]);
  warp.matrix = moved;
  return true;
}

PatchMatch Patch::align(const FloatPlane& plane, const PatchWarp& start, int steps) const {
  PatchMatch match{start};
  const std::size_t count = values_.size();
  const int parameters = motion_ == Motion::Shift ? 2 : 6;
  thread_local std::vector<float> seen;
  seen.resize(count);
  for (int round = 0;; ++round) {
    if (!fits(plane, match.warp)) return {match.warp, -1, false};
    sample(plane, match.warp, seen);
    float mean = 0, squares = 0, product = 0;
    for (std::size_t i = 0; i < count; ++i) mean += weights_[i] * seen[i];
    for (std::size_t i = 0; i < count; ++i) {
      const float v = seen[i] - mean;
      squares += weights_[i] * v * v;
      product += weights_[i] * v * values_[i];
    }
    match.likeness = squares > 1e-6f ? product / std::sqrt(squares) : 0.0f;
    if (match.settled || round >= steps) return match;
    // The gain that brings the picture's piece to the patch; never let a reversed patch push.
    const float gain = product > 0.1f * std::sqrt(squares) ? product / squares : 1 / std::max(std::sqrt(squares), 1e-3f);
    float step[6] = {};
    for (int k = 0; k < parameters; ++k) {
      const float* update = update_.data() + k * count;
      float sum = 0;
      for (std::size_t i = 0; i < count; ++i) sum += update[i] * seen[i];
      step[k] = gain * sum;
    }
    const float length = std::hypot(step[0], step[1]), limit = 0.5f * static_cast<float>(radius_);
    if (length > limit) for (float& s : step) s *= limit / length;
    if (!apply(step, match.warp)) return {match.warp, -1, false};
    match.settled = length < 0.005f;
  }
}

}  // namespace dusky
