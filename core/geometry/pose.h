#pragma once
#include <Eigen/Geometry>

namespace dusky {

using Vec2 = Eigen::Vector2d;
using Vec3 = Eigen::Vector3d;
using Mat3 = Eigen::Matrix3d;

/// Where a camera stands and how it is turned. Camera axes: x right, y down, z forward.
struct Pose {
  Eigen::Quaterniond world_from_camera = Eigen::Quaterniond::Identity();
  Vec3 centre = Vec3::Zero();

  /// A world point in this camera's axes.
  Vec3 toCamera(const Vec3& world) const { return world_from_camera.conjugate() * (world - centre); }
  /// A camera direction in the world's axes.
  Vec3 direction(const Vec3& camera) const { return world_from_camera * camera; }
};

/// The rotation by |v| radians about v (exponential map).
inline Eigen::Quaterniond rotationFromVector(const Vec3& v) {
  const double angle = v.norm();
  if (angle < 1e-12) return Eigen::Quaterniond(1.0, v.x() / 2, v.y() / 2, v.z() / 2).normalized();
  return Eigen::Quaterniond(Eigen::AngleAxisd(angle, v / angle));
}

/// target = scale * rotation * source + shift.
struct Similarity {
  double scale = 1.0;
  Eigen::Quaterniond rotation = Eigen::Quaterniond::Identity();
  Vec3 shift = Vec3::Zero();

  Vec3 operator*(const Vec3& p) const { return scale * (rotation * p) + shift; }
  Pose operator*(const Pose& pose) const { return {(rotation * pose.world_from_camera).normalized(), *this * pose.centre}; }
  /// The way back.
  Similarity inverse() const {
    const Eigen::Quaterniond back = rotation.conjugate();
    return {1 / scale, back, -(back * shift) / scale};
  }
  Similarity operator*(const Similarity& inner) const { return {scale * inner.scale, (rotation * inner.rotation).normalized(), *this * inner.shift}; }
};

}  // namespace dusky
