#include "core/track/patch.h"

#include <Eigen/Dense>
#include <array>
#include <cmath>

namespace dusky {
namespace {

constexpr int kLargestRadius = 34;

/// Weights of the four neighbours at fraction t (bicubic: Catmull and Rom, 1974).
std::array<float, 4> cubicWeights(float t) {
  return {((-0.5f * t + 1) * t - 0.5f) * t, (1.5f * t - 2.5f) * t * t + 1, ((-1.5f * t + 2) * t + 0.5f) * t, (0.5f * t - 0.5f) * t * t};
}

/// Bicubic value at continuous (u, v), at least 1.5 px inside the plane.
float sampleCubic(const FloatPlane& plane, float u, float v) {
  const float x = u - 0.5f, y = v - 0.5f;
  const int ix = static_cast<int>(x), iy = static_cast<int>(y);
  const auto wx = cubicWeights(x - static_cast<float>(ix)), wy = cubicWeights(y - static_cast<float>(iy));
  const float* row = plane.row(iy - 1) + ix - 1;
  float sum = 0;
  for (int j = 0; j < 4; ++j, row += plane.width) sum += wy[j] * (wx[0] * row[0] + wx[1] * row[1] + wx[2] * row[2] + wx[3] * row[3]);
  return sum;
}

/// The same for a square of side x side places one pixel apart, the first at (u, v): all share their weights, so rows run in vectors.
void sampleSquare(const FloatPlane& plane, float u, float v, int side, float* out) {
  const float x = u - 0.5f, y = v - 0.5f;
  const int ix = static_cast<int>(x), iy = static_cast<int>(y);
  const auto wx = cubicWeights(x - static_cast<float>(ix)), wy = cubicWeights(y - static_cast<float>(iy));
  constexpr int kWidest = 2 * kLargestRadius + 4;
  std::array<std::array<float, kWidest>, 4> across;  // a ring of rows
  const auto sweep = [&](int j) {
    const float* row = plane.row(iy - 1 + j) + ix - 1;
    float* to = across[static_cast<std::size_t>(j) % 4].data();
    for (int i = 0; i < side; ++i) to[i] = wx[0] * row[i] + wx[1] * row[i + 1] + wx[2] * row[i + 2] + wx[3] * row[i + 3];
  };
  for (int j = 0; j < 3; ++j) sweep(j);
  for (int j = 0; j < side; ++j) {
    sweep(j + 3);
    const float *a = across[j % 4].data(), *b = across[(j + 1) % 4].data(), *c = across[(j + 2) % 4].data(), *d = across[(j + 3) % 4].data();
    for (int i = 0; i < side; ++i) out[j * side + i] = wy[0] * a[i] + wy[1] * b[i] + wy[2] * c[i] + wy[3] * d[i];
  }
}

std::vector<float> makeWindow(int radius) {
  std::vector<float> window;
  const float width = 2.0f / static_cast<float>(std::max(1, radius * radius));
  float total = 0;
  for (int dy = -radius; dy <= radius; ++dy) {
    for (int dx = -radius; dx <= radius; ++dx) {
      window.push_back(std::exp(-0.5f * width * static_cast<float>(dx * dx + dy * dy)));
      total += window.back();
    }
  }
  for (float& w : window) w /= total;
  return window;
}

/// Gaussian weights of a window, sum 1; made once.
const std::vector<float>& windowOf(int radius) {
  static const std::vector<std::vector<float>> all = [] {
    std::vector<std::vector<float>> made;
    for (int r = 0; r <= kLargestRadius; ++r) made.push_back(makeWindow(r));
    return made;
  }();
  return all[static_cast<std::size_t>(radius)];
}

/// Whether a shift along one direction changes (nearly) nothing.
bool alongAnEdge(const Eigen::Matrix2f& normal) {
  constexpr float kLeastRatio = 1e-3f;
  const float half = 0.5f * normal.trace(), apart = std::sqrt(std::max(0.0f, half * half - normal.determinant()));
  return half - apart < kLeastRatio * (half + apart);
}

bool inside(const FloatPlane& plane, float u, float v) {
  return u >= 2.0f && v >= 2.0f && u <= static_cast<float>(plane.width) - 2.5f && v <= static_cast<float>(plane.height) - 2.5f;
}

}  // namespace

Patch::Patch(const FloatPlane& plane, const Eigen::Vector2f& centre, int radius, Motion motion) : motion_(motion), radius_(radius) {
  const float reach = static_cast<float>(radius + 1);
  if (!inside(plane, centre.x() - reach, centre.y() - reach) || !inside(plane, centre.x() + reach, centre.y() + reach)) return;
  if (motion == Motion::Shift)
    cut<2>(plane, centre);
  else
    cut<6>(plane, centre);
}

template <int N>
void Patch::cut(const FloatPlane& plane, const Eigen::Vector2f& centre) {
  const int side = 2 * radius_ + 1, wide = side + 2, count = side * side;
  const float reach = static_cast<float>(radius_ + 1);
  thread_local std::vector<float> block;
  block.resize(static_cast<std::size_t>(wide) * wide);
  sampleSquare(plane, centre.x() - reach, centre.y() - reach, wide, block.data());
  values_.resize(count);
  weights_ = &windowOf(radius_);
  thread_local Eigen::Matrix<float, Eigen::Dynamic, N> slopes;
  slopes.resize(count, N);
  for (int y = 0; y < side; ++y) {
    for (int x = 0; x < side; ++x) {
      const int i = y * side + x;
      const float* p = &block[(y + 1) * wide + x + 1];
      const float gx = 0.5f * (p[1] - p[-1]), gy = 0.5f * (p[wide] - p[-wide]);
      values_[i] = *p;
      slopes(i, 0) = gx;
      slopes(i, 1) = gy;
      if constexpr (N > 2) {
        const float dx = static_cast<float>(x - radius_), dy = static_cast<float>(y - radius_);
        slopes(i, 2) = gx * dx, slopes(i, 3) = gy * dx, slopes(i, 4) = gx * dy, slopes(i, 5) = gy * dy;
      }
    }
  }
  prepare<N>(slopes);
}

template <int N>
void Patch::prepare(Eigen::Matrix<float, Eigen::Dynamic, N>& slopes) {
  const auto count = static_cast<Eigen::Index>(values_.size());
  const Eigen::Map<const Eigen::VectorXf> weights(weights_->data(), count);
  Eigen::Map<Eigen::VectorXf> values(values_.data(), count);
  values.array() -= weights.dot(values);
  const float contrast = std::sqrt(weights.dot(values.cwiseAbs2()));
  if (!(contrast > 0.5f)) return values_.clear();
  values /= contrast;
  slopes /= contrast;
  // Slopes without what a gain or a bias would explain.
  for (int k = 0; k < N; ++k) {
    slopes.col(k).array() -= weights.dot(slopes.col(k));
    slopes.col(k) -= weights.dot(slopes.col(k).cwiseProduct(values)) * values;
  }
  Eigen::Matrix<float, N, N> normal = slopes.transpose() * weights.asDiagonal() * slopes;
  if (alongAnEdge(normal.template topLeftCorner<2, 2>())) return values_.clear();
  if constexpr (N > 2) {
    // Shape changes are small from frame to frame: hold them where the texture says little.
    const float floor = 1e-3f * normal.diagonal().template tail<N - 2>().maxCoeff();
    normal.diagonal().template tail<N - 2>().array() += floor;
  }
  const Eigen::LDLT<Eigen::Matrix<float, N, N>> solver(normal);
  if (solver.info() != Eigen::Success || !(solver.rcond() > 1e-9f)) return values_.clear();
  const Eigen::Matrix<float, N, N> inverse = solver.solve(Eigen::Matrix<float, N, N>::Identity());
  update_.resize(static_cast<std::size_t>(N) * values_.size());
  for (int k = 0; k < N; ++k) {
    Eigen::Map<Eigen::VectorXf> row(update_.data() + k * count, count);
    row = (slopes * inverse.col(k)).cwiseProduct(weights);
  }
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
  const float reach = static_cast<float>(radius_);
  if (motion_ == Motion::Shift && warp.matrix.isIdentity(0)) return sampleSquare(plane, warp.centre.x() - reach, warp.centre.y() - reach, side, out.data());
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
  const float* weights = weights_->data();
  const float* values = values_.data();
  const int parameters = motion_ == Motion::Shift ? 2 : 6;
  thread_local std::vector<float> seen;
  seen.resize(count);
  for (int round = 0;; ++round) {
    if (!fits(plane, match.warp)) return {match.warp, -1, false};
    sample(plane, match.warp, seen);
    float mean = 0, squares = 0, product = 0;
    using Array = Eigen::Map<const Eigen::ArrayXf>;
    const Array w(weights, static_cast<Eigen::Index>(count)), p(values, w.size()), sampled(seen.data(), w.size());
    mean = (w * sampled).sum();
    squares = (w * (sampled - mean).square()).sum();
    product = (w * (sampled - mean) * p).sum();
    match.likeness = squares > 1e-6f ? product / std::sqrt(squares) : 0.0f;
    if (match.settled || round >= steps) return match;
    // The gain that brings the picture's piece to the patch; never let a reversed patch push.
    const float gain = product > 0.1f * std::sqrt(squares) ? product / squares : 1 / std::max(std::sqrt(squares), 1e-3f);
    float step[6] = {};
    for (int k = 0; k < parameters; ++k) {
      step[k] = gain * (Array(update_.data() + k * count, w.size()) * sampled).sum();
    }
    const float length = std::hypot(step[0], step[1]), limit = 0.5f * static_cast<float>(radius_);
    if (length > limit)
      for (float& s : step) s *= limit / length;
    if (!apply(step, match.warp)) return {match.warp, -1, false};
    match.settled = length < 0.005f;
  }
}

}  // namespace dusky
