#pragma once
#include <array>
#include <optional>
#include <string_view>

#include "core/geometry/pose.h"

namespace dusky {

enum class LensModel { None, Brown };

/// Names of the Brown lens's parameters, in the order of Lens::parameters().
inline constexpr std::array<std::string_view, 8> kLensParameterNames = {"focal_px", "cx_px", "cy_px", "k1", "k2", "k3", "p1", "p2"};

/// A lens and where its axis meets the picture. Pixels as in the conventions (first pixel's centre 0.5, 0.5).
/// Normalised (x, y) = (x/z, y/z) of the undistorted ray; r2 = x^2 + y^2:
///   u = focal * (x (1 + k1 r2 + k2 r2^2 + k3 r2^3) + 2 p1 x y + p2 (r2 + 2 x^2)) + cx, and y alike with p1 and p2 exchanged.
/// Source: Brown, Photogrammetric Engineering 37(8), 1971.
struct Lens {
  LensModel model = LensModel::Brown;
  int width = 0, height = 0;  ///< Picture size it belongs to, px.
  double focal_px = 0, cx_px = 0, cy_px = 0;
  double k1 = 0, k2 = 0, k3 = 0, p1 = 0, p2 = 0;

  /// A lens without distortion whose axis meets the middle of the picture.
  static Lens simple(int width, int height, double focal_px);

  /// Normalised to pixels, in closed form.
  Vec2 distort(const Vec2& normalised) const;
  /// Pixels to normalised, so that distort gives the pixel back to < 1e-6 px. Nothing outside the lens's monotonic range.
  std::optional<Vec2> undistort(const Vec2& pixel) const;
  /// Whether the radial part still grows everywhere from the axis to this normalised radius.
  bool risingUpTo(double radius) const;

  std::array<double, 8> parameters() const { return {focal_px, cx_px, cy_px, k1, k2, k3, p1, p2}; }
  void setParameters(const std::array<double, 8>& values);
  bool operator==(const Lens&) const = default;
};

/// The place of a world point in the picture; nothing for a point behind the camera.
std::optional<Vec2> project(const Lens& lens, const Pose& camera, const Vec3& point);

/// The derivative of distort by (x, y), and by the eight parameters.
struct LensSlopes {
  Eigen::Matrix2d by_point;
  Eigen::Matrix<double, 2, 8> by_lens;
};
LensSlopes lensSlopes(const Lens& lens, const Vec2& normalised);

}  // namespace dusky
