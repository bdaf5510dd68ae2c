#include "apps/desktop/space/eye.h"

#include <algorithm>
#include <cmath>
#include <numbers>

namespace dusky::desktop {
namespace {

constexpr float kOpening_deg = 42;
constexpr float kSteepest_rad = 1.5f;
constexpr float kReach = 100;  // how far beyond the target is drawn, in distances to it

QVector3D vector(const Vec3& v) { return {static_cast<float>(v.x()), static_cast<float>(v.y()), static_cast<float>(v.z())}; }

/// The undistorted picture of the lens, whole and in the middle of the view.
QMatrix4x4 throughLens(const Lens& lens, float aspect, float near, float far) {
  const float w = static_cast<float>(lens.width), h = static_cast<float>(lens.height);
  const float view_w = std::max(w, h * aspect), view_h = view_w / aspect, f = static_cast<float>(lens.focal_px);
  const float left = -(static_cast<float>(lens.cx_px) + (view_w - w) / 2), top = static_cast<float>(lens.cy_px) + (view_h - h) / 2;
  QMatrix4x4 projection;
  projection.frustum(left / f * near, (left + view_w) / f * near, (top - view_h) / f * near, top / f * near, near, far);
  return projection;
}

}  // namespace

QVector3D Eye::direction() const {
  if (mode == Mode::Top) return {0, 1, 0};
  const float pitch = alongAxis() ? 0 : pitch_rad;
  return {std::cos(pitch) * std::sin(yaw_rad), std::sin(pitch), std::cos(pitch) * std::cos(yaw_rad)};
}

QVector3D Eye::right() const { return {std::cos(yaw_rad), 0, -std::sin(yaw_rad)}; }

QVector3D Eye::up() const { return mode == Mode::Top ? QVector3D(-std::sin(yaw_rad), 0, -std::cos(yaw_rad)) : QVector3D::crossProduct(direction(), right()); }

void Eye::home(float behind_rad) {
  constexpr float kQuarter = std::numbers::pi_v<float> / 2;
  yaw_rad = alongAxis() ? kQuarter * std::round(behind_rad / kQuarter) + (mode == Mode::Side ? kQuarter : 0) : behind_rad + 0.6f;
  pitch_rad = 0.5f;
}

QVector3D Eye::apart(const QVector3D& pivot) const {
  const QVector3D away = target - pivot;
  return {QVector3D::dotProduct(away, right()), QVector3D::dotProduct(away, up()), QVector3D::dotProduct(away, direction())};
}

void Eye::turn(float right_px, float down_px, const QVector3D& pivot) {
  const QVector3D apart_before = apart(pivot);
  if (alongAxis()) {
    pitch_rad = mode == Mode::Top ? kSteepest_rad : 0;
    mode = Mode::Orbit;
  }
  yaw_rad -= 0.008f * right_px;
  pitch_rad = std::clamp(pitch_rad + 0.008f * down_px, -kSteepest_rad, kSteepest_rad);
  target = pivot + apart_before.x() * right() + apart_before.y() * up() + apart_before.z() * direction();
}

float Eye::unitsPerPx(float height_px) const { return 2 * distance * std::tan(kOpening_deg * std::numbers::pi_v<float> / 360) / height_px; }

void Eye::move(float right_px, float down_px, float height_px) { target -= unitsPerPx(height_px) * (right_px * right() - down_px * up()); }

void Eye::approach(float wheel_degrees) { distance = std::clamp(distance * std::pow(0.985f, wheel_degrees), 1e-3f, 1e6f); }

void Eye::look(const QVector3D& middle, float reach) {
  target = middle;
  distance = 2.3f * reach;
}

QMatrix4x4 Eye::matrix(float aspect, const Pose* camera, const Lens* lens) const {
  QMatrix4x4 view, projection;
  if (mode == Mode::Camera && camera && lens) {
    const QVector3D centre = vector(camera->centre);
    view.lookAt(centre, centre + vector(camera->direction(Vec3::UnitZ())), -vector(camera->direction(Vec3::UnitY())));
    return throughLens(*lens, aspect, 0.002f * distance, 200 * distance) * view;
  }
  view.lookAt(target + distance * direction(), target, up());
  if (alongAxis()) {
    const float half = unitsPerPx(2);
    projection.ortho(-half * aspect, half * aspect, -half, half, distance - kReach * distance, distance + kReach * distance);
  } else {
    projection.perspective(kOpening_deg, aspect, 0.005f * distance, 2 * kReach * distance);
  }
  return projection * view;
}

float Eye::depthOf(const QVector4D& clip) const { return alongAxis() ? kReach * distance * clip.z() : clip.w(); }

}  // namespace dusky::desktop
