#include "core/track/feature_points.h"

#include <Eigen/Dense>
#include <cmath>
#include <vector>

#include "core/track/sampling.h"

namespace dusky {
namespace {

using Vec = Eigen::Vector2f;

constexpr int kRounds = 20;
constexpr float kSettled_px = 0.003f;

/// The window about a centre with one px around it, and what is asked of it.
struct Window {
  int radius, side, stride;
  std::vector<float> values;

  explicit Window(int r) : radius(r), side(2 * r + 3), stride(strideOf(side)), values(static_cast<std::size_t>(side) * stride) {}
  bool take(const FloatPlane& plane, const Vec& centre) {
    const auto reach = static_cast<float>(radius + 1);
    if (!canSampleSquare(plane, centre, reach)) return false;
    sampleSquare(plane, centre.x() - reach, centre.y() - reach, side, values.data());
    return true;
  }
  float at(int x, int y) const { return values[static_cast<std::size_t>(y + radius + 1) * stride + (x + radius + 1)]; }
  Vec slope(int x, int y) const { return 0.5f * Vec(at(x + 1, y) - at(x - 1, y), at(x, y + 1) - at(x, y - 1)); }
  float weight(int x, int y) const { return std::exp(-0.5f * static_cast<float>(x * x + y * y) / static_cast<float>(radius * radius)); }
};

/// Moves by what `step` says of the window until that is nothing.
template <class StepOf>
std::optional<Vec> settle(const FloatPlane& plane, const Vec& near, int radius, const StepOf& step_of) {
  Window window(radius);
  Vec centre = near;
  for (int round = 0; round < kRounds; ++round) {
    if (!window.take(plane, centre)) return std::nullopt;
    std::optional<Vec> step = step_of(window);
    if (!step) return std::nullopt;
    const float length = step->norm(), limit = 0.4f * static_cast<float>(radius);
    if (!std::isfinite(length)) return std::nullopt;
    centre += *step * std::min(1.0f, limit / std::max(length, 1e-6f));
    if ((centre - near).norm() > static_cast<float>(radius)) return std::nullopt;
    if (length < kSettled_px) return centre;
  }
  return std::nullopt;
}

/// Solves the normal equations where they fix both directions.
std::optional<Vec> solved(const Eigen::Matrix2f& normal, const Vec& right) {
  if (!(normal.trace() > 1e-3f) || alongAnEdge(normal)) return std::nullopt;
  return Vec(normal.inverse() * right);
}

std::optional<Vec> towardsJunction(const Window& window) {
  Eigen::Matrix2f normal = Eigen::Matrix2f::Zero();
  Vec right = Vec::Zero();
  for (int y = -window.radius; y <= window.radius; ++y) {
    for (int x = -window.radius; x <= window.radius; ++x) {
      const Vec g = window.slope(x, y);
      const Eigen::Matrix2f one = window.weight(x, y) * g * g.transpose();
      normal += one;
      right += one * Vec(static_cast<float>(x), static_cast<float>(y));
    }
  }
  return solved(normal, right);
}

/// The slope of an uneven light is solved for besides: it would pull the middle aside.
std::optional<Vec> towardsSymmetry(const Window& window) {
  Eigen::Matrix4f normal = Eigen::Matrix4f::Zero();
  Eigen::Vector4f right = Eigen::Vector4f::Zero();
  for (int y = -window.radius; y <= window.radius; ++y) {
    for (int x = -window.radius; x <= window.radius; ++x) {
      // Moving the centre by s brings s to this place and to the one across.
      const Vec slope = window.slope(x, y) - window.slope(-x, -y);
      const Eigen::Vector4f row(slope.x(), slope.y(), -static_cast<float>(x), -static_cast<float>(y));
      const float apart = window.at(x, y) - window.at(-x, -y), w = window.weight(x, y);
      normal += w * row * row.transpose();
      right -= w * apart * row;
    }
  }
  if (!solved(normal.topLeftCorner<2, 2>(), right.head<2>())) return std::nullopt;
  return Vec(normal.ldlt().solve(right).head<2>());
}

}  // namespace

std::optional<Vec> junctionPoint(const FloatPlane& plane, const Vec& near, int radius) { return settle(plane, near, radius, towardsJunction); }

std::optional<Vec> symmetryCentre(const FloatPlane& plane, const Vec& near, int radius) { return settle(plane, near, radius, towardsSymmetry); }

}  // namespace dusky
