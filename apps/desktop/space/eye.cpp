#include "apps/desktop/space/eye.h"

#include <algorithm>
#include <cmath>

namespace dusky::desktop {
namespace {

constexpr float kOpening_deg = 42;

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
  return {std::cos(pitch_rad) * std::sin(yaw_rad), std::sin(pitch_rad), std::cos(pitch_rad) * std::cos(yaw_rad)};
}

void Eye::turn(float right_px, float down_px) {
  yaw_rad -= 0.008f * right_px;
  if (mode == Mode::Orbit) pitch_rad = std::clamp(pitch_rad + 0.008f * down_px, -1.5f, 1.5f);
}

void Eye::move(float right_px, float down_px, float height_px) {
  const float scale = 2 * distance * std::tan(kOpening_deg * 3.14159265f / 360) / height_px;
  const QVector3D right(std::cos(yaw_rad), 0, -std::sin(yaw_rad));
  const QVector3D up = mode == Mode::Top ? QVector3D(-std::sin(yaw_rad), 0, -std::cos(yaw_rad)) : QVector3D::crossProduct(direction(), right);
  target -= scale * (right_px * right - down_px * up);
}

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
  const QVector3D up = mode == Mode::Top ? QVector3D(-std::sin(yaw_rad), 0, -std::cos(yaw_rad)) : QVector3D(0, 1, 0);
  view.lookAt(target + distance * direction(), target, up);
  projection.perspective(kOpening_deg, aspect, 0.005f * distance, 200 * distance);
  return projection * view;
}

}  // namespace dusky::desktop
