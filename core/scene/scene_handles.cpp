#include "core/scene/scene_handles.h"

#include <algorithm>
#include <cmath>
#include <numbers>

namespace dusky {
namespace {

double rounded(double value, double step) { return step > 0 ? step * std::round(value / step) : value; }

/// How far along a line a line of sight passes it closest.
std::optional<double> alongLine(const SceneRay& ray, const Vec3& pivot, const Vec3& axis) {
  constexpr double kEndOn = 1e-3;  // squared sine of the angle between the two
  const double cosine = axis.dot(ray.direction), across = 1 - cosine * cosine;
  if (across < kEndOn) return std::nullopt;
  const Vec3 between = ray.from - pivot;
  return (axis.dot(between) - cosine * ray.direction.dot(between)) / across;
}

Similarity moved(const Vec3& by) { return {1, Eigen::Quaterniond::Identity(), by}; }

Similarity movedAlong(const Vec3& axis, const Vec3& pivot, const SceneRay& from, const SceneRay& to, double step) {
  const auto begun = alongLine(from, pivot, axis), now = alongLine(to, pivot, axis);
  return begun && now ? moved(rounded(*now - *begun, step) * axis) : Similarity{};
}

/// Over the level plane through the pivot; where that is seen edge on, along what is seen of it.
Similarity movedLevel(const Vec3& pivot, const SceneRay& from, const SceneRay& to, double step) {
  auto begun = met(from, pivot, Vec3::UnitY()), now = met(to, pivot, Vec3::UnitY());
  if (!begun || !now) begun = met(from, pivot, from.direction), now = met(to, pivot, from.direction);
  if (!begun || !now) return {};
  const Vec3 by = *now - *begun;
  return moved({rounded(by.x(), step), 0, rounded(by.z(), step)});
}

/// The same about a pivot that stays.
Similarity about(const Vec3& pivot, double scale, const Eigen::Quaterniond& turn) { return {scale, turn, pivot - scale * (turn * pivot)}; }

Similarity turnedAbout(const Vec3& axis, const Vec3& pivot, const SceneRay& from, const SceneRay& to, bool by_steps) {
  const auto begun = met(from, pivot, axis), now = met(to, pivot, axis);
  if (!begun || !now) return {};
  const Vec3 a = *begun - pivot, b = *now - pivot;
  constexpr double kStep = std::numbers::pi / 12;
  const double angle = std::atan2(axis.dot(a.cross(b)), a.dot(b));
  return about(pivot, 1, rotationFromVector(rounded(angle, by_steps ? kStep : 0) * axis));
}

Similarity scaled(const Vec3& pivot, const SceneRay& from, const SceneRay& to, bool by_steps) {
  constexpr double kLeast = 0.05, kStep = 0.1;
  const auto begun = met(from, pivot, from.direction), now = met(to, pivot, from.direction);
  if (!begun || !now || !((*begun - pivot).norm() > 0)) return {};
  const double times = (*now - pivot).norm() / (*begun - pivot).norm();
  return about(pivot, std::max(by_steps ? kStep : kLeast, rounded(times, by_steps ? kStep : 0)), Eigen::Quaterniond::Identity());
}

}  // namespace

bool turns(SceneHandle handle) { return handle == SceneHandle::TurnX || handle == SceneHandle::TurnY || handle == SceneHandle::TurnZ; }

std::optional<Vec3> axisOf(SceneHandle handle) {
  switch (handle) {
    case SceneHandle::MoveX:
    case SceneHandle::TurnX: return Vec3::UnitX();
    case SceneHandle::MoveY:
    case SceneHandle::TurnY: return Vec3::UnitY();
    case SceneHandle::MoveZ:
    case SceneHandle::TurnZ: return Vec3::UnitZ();
    default: return std::nullopt;
  }
}

bool isFree(SceneHandle handle, const SceneFreedom& free) {
  if (handle == SceneHandle::Scale) return free.scale;
  if (handle == SceneHandle::TurnY) return free.turn;
  if (handle == SceneHandle::MoveY) return free.lift;
  return turns(handle) ? free.tilt : free.shift;
}

Vec3 placeOf(SceneHandle handle, const Vec3& pivot, double reach) {
  constexpr double kRing = 0.72, kScale = 0.5;  // of the reach
  const auto axis = axisOf(handle);
  if (handle == SceneHandle::Scale) return pivot + kScale * reach * Vec3::Ones().normalized();
  if (!axis) return pivot;
  if (!turns(handle)) return pivot + reach * *axis;
  return pivot + kRing * reach * (Vec3::Ones() - *axis).normalized();
}

std::vector<Vec3> arcOf(SceneHandle handle, const Vec3& pivot, double reach) {
  std::vector<Vec3> arc;
  const auto axis = axisOf(handle);
  if (!axis || !turns(handle)) return arc;
  constexpr int kPieces = 12;
  const Vec3 middle = placeOf(handle, pivot, reach) - pivot;
  for (int i = 0; i <= kPieces; ++i)
    arc.push_back(pivot + rotationFromVector((static_cast<double>(i) / kPieces - 0.5) * std::numbers::pi / 2 * *axis) * middle);
  return arc;
}

Similarity draggedBy(SceneHandle handle, const Vec3& pivot, const SceneRay& from, const SceneRay& to, double step) {
  if (handle == SceneHandle::MoveLevel) return movedLevel(pivot, from, to, step);
  if (handle == SceneHandle::Scale) return scaled(pivot, from, to, step > 0);
  const Vec3 axis = *axisOf(handle);
  return turns(handle) ? turnedAbout(axis, pivot, from, to, step > 0) : movedAlong(axis, pivot, from, to, step);
}

}  // namespace dusky
