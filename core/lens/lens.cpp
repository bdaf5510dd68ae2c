#include "core/lens/lens.h"

#include <Eigen/LU>
#include <algorithm>
#include <cmath>

#include "core/lens/bend.h"

namespace dusky {
namespace {

constexpr std::string_view kNames[] = {"none", "brown", "fisheye", "anamorphic"};
constexpr std::string_view kNone[] = {"focal_px", "cx_px", "cy_px"};
constexpr std::string_view kBrown[] = {"focal_px", "cx_px", "cy_px", "k1", "k2", "k3", "p1", "p2"};
constexpr std::string_view kFisheye[] = {"focal_px", "cx_px", "cy_px", "k1", "k2", "k3", "k4"};
constexpr std::string_view kAnamorphic[] = {"focal_px", "cx_px", "cy_px", "squeeze", "rotation_rad", "x20", "x02", "x40",
                                            "x22",      "x04",   "y20",   "y02",     "y40",          "y22", "y04"};

/// Where Newton begins: the model's own inverse without its small coefficients.
Vec2 firstGuess(const Lens& lens, const Vec2& pixel) {
  Vec2 n = lens.straightRay(pixel);
  if (lens.model == LensModel::Anamorphic) n.y() /= lens.squeeze();
  if (lens.model != LensModel::Fisheye) return n;
  const double angle = std::min(n.norm(), 1.55);
  return angle > 1e-9 ? Vec2(n / n.norm() * std::tan(angle)) : n;
}

}  // namespace

std::string_view describe(LensModel model) { return kNames[static_cast<std::size_t>(model)]; }

std::optional<LensModel> lensModelNamed(std::string_view name) {
  const auto found = std::find(std::begin(kNames), std::end(kNames), name);
  return found != std::end(kNames) ? std::optional(static_cast<LensModel>(found - std::begin(kNames))) : std::nullopt;
}

std::span<const std::string_view> lensParameterNames(LensModel model) {
  switch (model) {
    case LensModel::None: return kNone;
    case LensModel::Brown: return kBrown;
    case LensModel::Fisheye: return kFisheye;
    case LensModel::Anamorphic: return kAnamorphic;
  }
  return kNone;
}

Lens Lens::simple(int width, int height, double focal_px, LensModel model) {
  Lens lens{.model = model, .width = width, .height = height, .focal_px = focal_px, .cx_px = width / 2.0, .cy_px = height / 2.0};
  if (model == LensModel::Anamorphic) lens.squeeze() = 1;
  return lens;
}

Lens Lens::scaledTo(int new_width, int new_height) const {
  Lens scaled = *this;
  const double by = static_cast<double>(new_width) / width;
  scaled.width = new_width, scaled.height = new_height;
  scaled.focal_px *= by, scaled.cx_px *= by, scaled.cy_px *= by;
  return scaled;
}

LensParameters Lens::parameters() const {
  LensParameters values{focal_px, cx_px, cy_px};
  std::copy(coefficients.begin(), coefficients.end(), values.begin() + kFirstCoefficient);
  return values;
}

void Lens::setParameters(const LensParameters& values) {
  focal_px = values[0], cx_px = values[1], cy_px = values[2];
  std::copy(values.begin() + kFirstCoefficient, values.end(), coefficients.begin());
}

Vec2 Lens::distort(const Vec2& n) const { return straightPixel(bend(*this, n)); }

std::optional<Vec2> project(const Lens& lens, const Pose& camera, const Vec3& point) {
  const Vec3 p = camera.toCamera(point);
  if (p.z() < 1e-6) return std::nullopt;
  return lens.distort(p.hnormalized());
}

LensSlopes lensSlopes(const Lens& lens, const Vec2& n) {
  const BendSlopes bent = bendSlopes(lens, n);
  const Vec2 scale(lens.focal_px, lens.focal_px * lens.pixel_aspect);
  LensSlopes s;
  s.pixel = lens.straightPixel(bent.value);
  s.by_point = scale.asDiagonal() * bent.by_point;
  s.by_lens.setZero();
  s.by_lens.col(0) << bent.value.x(), lens.pixel_aspect * bent.value.y();
  s.by_lens(0, 1) = s.by_lens(1, 2) = 1;
  s.by_lens.rightCols<kMostLensParameters - kFirstCoefficient>() = scale.asDiagonal() * bent.by_coefficient;
  return s;
}

bool Lens::risingUpTo(const Vec2& n) const {
  if (model == LensModel::None) return true;
  constexpr int kProbes = 12;
  for (int i = 1; i <= kProbes; ++i) {
    const Vec2 at = n * (static_cast<double>(i) / kProbes);
    const Eigen::Matrix2d slopes = bentAt(*this, at).by_point;
    if (slopes.determinant() <= 0 || slopes.trace() <= 0 || at.dot(slopes * at) < 0) return false;
  }
  return true;
}

bool Lens::coversPicture() const {
  for (const double x : {0.0, 0.5, 1.0}) {
    for (const double y : {0.0, 0.5, 1.0}) {
      if (!undistort(Vec2(x * width, y * height))) return false;
    }
  }
  return true;
}

std::optional<Vec3> Lens::ray(const Vec2& pixel) const {
  const auto normalised = undistort(pixel);
  return normalised ? std::optional<Vec3>(normalised->homogeneous().normalized()) : std::nullopt;
}

std::optional<Vec2> Lens::undistort(const Vec2& pixel) const {
  Vec2 n = firstGuess(*this, pixel);
  if (std::all_of(coefficients.begin(), coefficients.end(), [](double c) { return c == 0; }) && model != LensModel::Fisheye) return n;
  if (const auto found = straightTo(*this, pixel, n); found && risingUpTo(*found)) return found;
  for (int half = 0; half < 30 && !risingUpTo(n); ++half) n *= 0.8;
  for (int step = 0; step < 60; ++step) {
    const Vec2 miss = pixel - distort(n);
    if (miss.squaredNorm() < 1e-18) break;
    Vec2 move = lensSlopes(*this, n).by_point.inverse() * miss;
    if (!move.allFinite()) return std::nullopt;
    // Stay on the rising side: halve a step that would leave it or make things worse.
    for (int half = 0; half < 30 && (!risingUpTo(n + move) || (pixel - distort(n + move)).squaredNorm() > miss.squaredNorm()); ++half) move /= 2;
    n += move;
  }
  if ((pixel - distort(n)).norm() > 1e-6 || !risingUpTo(n)) return std::nullopt;
  return n;
}

}  // namespace dusky
