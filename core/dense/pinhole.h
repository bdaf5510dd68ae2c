#pragma once
#include <optional>

#include "core/geometry/pose.h"

namespace dusky {

/// A camera without distortion. Pixels as everywhere: the first one's centre at (0.5, 0.5).
struct Pinhole {
  int width = 0, height = 0;
  double fx = 0, fy = 0, cx = 0, cy = 0;  ///< px.
  Pose pose;

  /// Homogeneous pixels of points in camera axes.
  Mat3 pixelFromCamera() const { return (Mat3() << fx, 0, cx, 0, fy, cy, 0, 0, 1).finished(); }
  Mat3 cameraFromPixel() const { return (Mat3() << 1 / fx, 0, -cx / fx, 0, 1 / fy, -cy / fy, 0, 0, 1).finished(); }
  /// The ray through a pixel, camera axes, 1 along the axis.
  Vec3 ray(const Vec2& pixel) const { return {(pixel.x() - cx) / fx, (pixel.y() - cy) / fy, 1}; }
  /// The world point that a pixel sees at a depth along the axis.
  Vec3 place(const Vec2& pixel, double depth) const { return pose.centre + pose.direction(depth * ray(pixel)); }
  /// Pixel and depth of a world point; nothing behind the camera. It may lie outside of the picture.
  std::optional<Vec3> seen(const Vec3& world) const {
    const Vec3 p = pose.toCamera(world);
    if (!(p.z() > 0)) return std::nullopt;
    return Vec3(fx * p.x() / p.z() + cx, fy * p.y() / p.z() + cy, p.z());
  }
  /// Of a picture halved `times` over; its size rounded down.
  Pinhole halved(int times) const {
    const double share = 1.0 / (1 << times);
    return {width >> times, height >> times, share * fx, share * fy, share * cx, share * cy, pose};
  }
};

}  // namespace dusky
