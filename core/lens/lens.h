#pragma once
#include <array>
#include <optional>
#include <span>
#include <string_view>

#include "core/geometry/pose.h"

namespace dusky {

enum class LensModel : std::uint8_t { None, Brown, Fisheye, Anamorphic };
/// "none", "brown", "fisheye", "anamorphic".
std::string_view describe(LensModel model);
std::optional<LensModel> lensModelNamed(std::string_view name);

/// Focal length, where the axis meets the picture (x, y), then the model's own coefficients.
inline constexpr int kMostLensParameters = 15, kFirstCoefficient = 3;
using LensParameters = std::array<double, kMostLensParameters>;
/// Names of a model's parameters, in the order of Lens::parameters(); as many as the model has.
std::span<const std::string_view> lensParameterNames(LensModel model);

/// A lens and where its axis meets the picture. Pixels as in the conventions (first pixel's centre 0.5, 0.5). A ray with normalised
/// coordinates (x, y) = (x/z, y/z) is bent to (a, b) and lands at u = focal_px a + cx, v = focal_px pixel_aspect b + cy. With r2 = x^2 + y^2:
///   none        a = x, b = y.
///   brown       a = x (1 + k1 r2 + k2 r2^2 + k3 r2^3) + 2 p1 x y + p2 (r2 + 2 x^2); b alike with p1 and p2 exchanged.
///   fisheye     t (1 + k1 t^2 + k2 t^4 + k3 t^6 + k4 t^8) / r times (x, y), t = atan r the angle off the axis: equidistant where all k are 0.
///   anamorphic  turned by `rotation_rad`, a = x (1 + x20 x^2 + x02 y^2 + x40 x^4 + x22 x^2 y^2 + x04 y^4), b = squeeze y (1 + y20 x^2 + ...),
///               turned back. The lens draws what is wide `squeeze` times narrower than what is high.
/// Sources: Brown, Photogrammetric Engineering 37(8), 1971; Kannala and Brandt, PAMI 28(8), 2006.
struct Lens {
  LensModel model = LensModel::Brown;
  int width = 0, height = 0;  ///< Picture size it belongs to, px.
  double pixel_aspect = 1;    ///< Width of a pixel over its height.
  double focal_px = 0, cx_px = 0, cy_px = 0;
  std::array<double, kMostLensParameters - kFirstCoefficient> coefficients{};  ///< In the order of lensParameterNames, from the fourth on.

  /// A lens without distortion whose axis meets the middle of the picture.
  static Lens simple(int width, int height, double focal_px, LensModel model = LensModel::Brown);

  // Names of the coefficients of a Brown lens; k1 to k3 are those of a fisheye too.
  double& k1() { return coefficients[0]; }
  double& k2() { return coefficients[1]; }
  double& k3() { return coefficients[2]; }
  double& p1() { return coefficients[3]; }
  double& p2() { return coefficients[4]; }
  double k1() const { return coefficients[0]; }
  double& squeeze() { return coefficients[0]; }  ///< Of an anamorphic lens.
  double squeeze() const { return coefficients[0]; }

  /// Normalised to pixels, in closed form.
  Vec2 distort(const Vec2& normalised) const;
  /// Pixels to normalised, so that distort gives the pixel back to < 1e-6 px. Nothing outside the lens's monotonic range.
  std::optional<Vec2> undistort(const Vec2& pixel) const;
  /// The unit ray of a pixel in camera axes. Nothing outside the lens's monotonic range.
  std::optional<Vec3> ray(const Vec2& pixel) const;
  /// What a lens without distortion, with the same focal length and axis, makes of a normalised place, and the way back.
  Vec2 straightPixel(const Vec2& normalised) const { return {focal_px * normalised.x() + cx_px, focal_px * pixel_aspect * normalised.y() + cy_px}; }
  Vec2 straightRay(const Vec2& pixel) const { return {(pixel.x() - cx_px) / focal_px, (pixel.y() - cy_px) / (focal_px * pixel_aspect)}; }
  /// Whether the picture still grows outwards everywhere from the axis to this normalised place.
  bool risingUpTo(const Vec2& normalised) const;
  /// Whether all of the picture lies within the monotonic range.
  bool coversPicture() const;
  /// The same lens for a picture of another width and the same shape.
  Lens scaledTo(int new_width, int new_height) const;

  LensParameters parameters() const;
  void setParameters(const LensParameters& values);
  bool operator==(const Lens&) const = default;
};

/// The place of a world point in the picture; nothing for a point behind the camera.
std::optional<Vec2> project(const Lens& lens, const Pose& camera, const Vec3& point);

/// What distort gives and its derivative by (x, y) and by the parameters (only those of the model are filled).
struct LensSlopes {
  Vec2 pixel;
  Eigen::Matrix2d by_point;
  Eigen::Matrix<double, 2, kMostLensParameters> by_lens;
};
LensSlopes lensSlopes(const Lens& lens, const Vec2& normalised);

}  // namespace dusky
