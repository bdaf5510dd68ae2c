#include "core/scene/axis_handle.h"

#include <cmath>
#include <numbers>

namespace dusky {
namespace {

Vec3 bySteps(const Vec3& axis, double step) {
  const auto rounded = [step](double angle) { return step * std::round(angle / step); };
  const double height = rounded(std::asin(std::clamp(axis.y(), -1.0, 1.0))), heading = rounded(std::atan2(axis.x(), axis.z()));
  return {std::cos(height) * std::sin(heading), std::sin(height), std::cos(height) * std::cos(heading)};
}

}  // namespace

Vec3 axisDraggedTo(const SceneRay& ray, const Vec3& foot, double reach, const Vec3& now, double step_rad) {
  const Vec3 from = ray.from - foot;
  const double along = -ray.direction.dot(from);
  const Vec3 nearest = from + along * ray.direction;
  const double inside = reach * reach - nearest.squaredNorm();
  Vec3 tip = nearest;
  if (inside > 0) {
    const Vec3 half = std::sqrt(inside) * ray.direction;
    tip = (nearest - half - reach * now).norm() < (nearest + half - reach * now).norm() ? Vec3(nearest - half) : Vec3(nearest + half);
  }
  if (!(tip.norm() > 1e-12)) return now;
  const Vec3 axis = tip.normalized();
  return step_rad > 0 ? bySteps(axis, step_rad) : axis;
}

std::vector<Vec3> circleAbout(const Vec3& foot, const Vec3& axis, double radius) {
  constexpr int kPieces = 48;
  const Vec3 aside = std::abs(axis.y()) < 0.9 ? Vec3::UnitY() : Vec3::UnitX();
  const Vec3 right = aside.cross(axis).normalized(), up = axis.cross(right);
  std::vector<Vec3> circle;
  for (int i = 0; i <= kPieces; ++i) {
    const double angle = 2 * std::numbers::pi * i / kPieces;
    circle.push_back(foot + radius * (std::cos(angle) * right + std::sin(angle) * up));
  }
  return circle;
}

}  // namespace dusky
