#pragma once
#include <optional>

#include "core/geometry/pose.h"

namespace dusky {

/// A camera without distortion. Pixels as everywhere: the first one's centre at (0.5, 0.5). With a rolling shutter it does not turn (that is taken out of its
/// picture), but moves on from pixel to pixel.
struct Pinhole {
  int width = 0, height = 0;
  double fx = 0, fy = 0, cx = 0, cy = 0;  ///< px.
  Pose pose;
  Vec3 velocity = Vec3::Zero();             ///< World, a frame interval; zero: all pixels at once.
  double time = 0, time_x = 0, time_y = 0;  ///< When the pixel at (0, 0) is read, after `pose`, frame intervals; by how much later with each px.

  bool rolls() const { return !velocity.isZero(0); }
  double timeOf(const Vec2& pixel) const { return time + time_x * pixel.x() + time_y * pixel.y(); }

  /// Homogeneous pixels of points in camera axes.
  Mat3 pixelFromCamera() const { return (Mat3() << fx, 0, cx, 0, fy, cy, 0, 0, 1).finished(); }
  Mat3 cameraFromPixel() const { return (Mat3() << 1 / fx, 0, -cx / fx, 0, 1 / fy, -cy / fy, 0, 0, 1).finished(); }
  /// The ray through a pixel, camera axes, 1 along the axis.
  Vec3 ray(const Vec2& pixel) const { return {(pixel.x() - cx) / fx, (pixel.y() - cy) / fy, 1}; }
  /// The world point that a pixel sees at a depth along the axis.
  Vec3 place(const Vec2& pixel, double depth) const { return pose.centre + timeOf(pixel) * velocity + pose.direction(depth * ray(pixel)); }
  /// Pixel and depth of a world point; nothing behind the camera. It may lie outside of the picture.
  std::optional<Vec3> seen(const Vec3& world) const {
    const Vec3 at_once = pose.toCamera(world);
    if (!(at_once.z() > 0)) return std::nullopt;
    Vec3 seen = pixelAndDepth(at_once);
    if (!rolls()) return seen;
    const Vec3 moves = pose.world_from_camera.conjugate() * velocity;
    for (int round = 0; round < 4; ++round) {
      const Vec3 p = at_once - timeOf(seen.head<2>()) * moves;
      if (!(p.z() > 0)) return std::nullopt;
      seen = pixelAndDepth(p);
    }
    return seen;
  }
  /// Of a picture halved `times` over; its size rounded down.
  Pinhole halved(int times) const {
    const double share = 1.0 / (1 << times);
    return {width >> times, height >> times, share * fx, share * fy, share * cx, share * cy, pose, velocity, time, time_x / share, time_y / share};
  }

 private:
  Vec3 pixelAndDepth(const Vec3& p) const { return {fx * p.x() / p.z() + cx, fy * p.y() / p.z() + cy, p.z()}; }
};

}  // namespace dusky
