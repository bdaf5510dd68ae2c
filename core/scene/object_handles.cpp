#include "core/scene/object_handles.h"

#include <algorithm>
#include <cmath>
#include <numbers>

namespace dusky {
namespace {

// The ring's radius, of the object's size: just round what stands in it.
double ringOf(ObjectShape shape) { return shape == ObjectShape::Figure ? 0.3 : 0.8; }

constexpr double kLeastScale = 0.05;  // of what it was, in one drag

/// Where a line of sight meets the plane, from the object's foot, in the axes before it was turned.
std::optional<Vec2> onPlane(const SceneRay& ray, const ObjectStand& stand) {
  const auto at = met(ray, stand.foot, stand.base.col(1));
  if (!at) return std::nullopt;
  const Vec3 own = stand.base.transpose() * (*at - stand.foot);
  return Vec2(own.x(), own.z());
}

/// The same for a plane seen edge on: on the plane that faces the eye, then what of it lies in its own.
std::optional<Vec2> alongPlane(const SceneRay& ray, const ObjectStand& stand) {
  const auto at = met(ray, stand.foot, ray.direction);
  if (!at) return std::nullopt;
  const Vec3 own = stand.base.transpose() * (*at - stand.foot);
  return Vec2(own.x(), own.z());
}

double turned(double degrees) { return degrees - 360 * std::round(degrees / 360); }

/// How far along the ray; nothing where it passes.
std::optional<double> distanceTo(const SolidFace& face, const SceneRay& ray) {
  const Vec3 u = face.corners[1] - face.corners[0], v = face.corners[2] - face.corners[0];
  const Vec3 p = ray.direction.cross(v);
  const double determinant = u.dot(p);
  if (std::abs(determinant) < 1e-12 * u.norm() * v.norm()) return std::nullopt;
  const Vec3 s = ray.from - face.corners[0], q = s.cross(u);
  const double a = s.dot(p) / determinant, b = ray.direction.dot(q) / determinant, away = v.dot(q) / determinant;
  return a >= 0 && b >= 0 && a + b <= 1 && away > 0 ? std::optional(away) : std::nullopt;
}

}  // namespace

std::optional<ObjectHandles> handlesOf(const TestObject& object, const Solution& solution, const SceneFrame& scene) {
  const auto stand = standOf(object, solution, scene);
  if (!stand) return std::nullopt;
  const double reach = ringOf(object.shape) * object.size;
  ObjectHandles handles{stand->foot, stand->foot + reach * stand->turn.col(0), stand->foot - reach * stand->turn.col(0), {}};
  constexpr int kPieces = 48;
  for (int i = 0; i <= kPieces; ++i) {
    const double angle = 2 * std::numbers::pi * i / kPieces;
    handles.ring.push_back(stand->foot + reach * (std::cos(angle) * stand->base.col(0) + std::sin(angle) * stand->base.col(2)));
  }
  return handles;
}

int objectAt(const SceneRay& ray, const std::vector<TestObject>& objects, const Solution& solution, const SceneFrame& scene) {
  int found = 0;
  double nearest = std::numeric_limits<double>::infinity();
  for (const TestObject& object : objects) {
    for (const SolidFace& face : solidOf(object, solution, scene)) {
      const auto away = distanceTo(face, ray);
      if (away && *away < nearest) nearest = *away, found = object.id;
    }
  }
  return found;
}

TestObject draggedObject(const TestObject& object, ObjectHandle handle, const SceneRay& from, const SceneRay& to, const Solution& solution,
                         const SceneFrame& scene) {
  TestObject changed = object;
  const auto stand = standOf(object, solution, scene);
  if (!stand) return changed;
  auto begun = onPlane(from, *stand), now = onPlane(to, *stand);
  if ((!begun || !now) && handle != ObjectHandle::Turn) begun = alongPlane(from, *stand), now = alongPlane(to, *stand);
  if (!begun || !now) return changed;
  const double held = begun->norm(), least = 1e-6 * object.size;
  if (handle == ObjectHandle::Move) {
    changed.along += now->x() - begun->x(), changed.across += now->y() - begun->y();
  } else if (held > least && handle == ObjectHandle::Size) {
    changed.size = object.size * std::max(kLeastScale, now->norm() / held);
  } else if (held > least && now->norm() > least) {
    // About its own upright axis x turns towards -z.
    const double by = std::atan2(-now->y(), now->x()) - std::atan2(-begun->y(), begun->x());
    changed.turn_deg = turned(object.turn_deg + by * 180 / std::numbers::pi);
  }
  return changed;
}

}  // namespace dusky
