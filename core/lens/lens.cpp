#include "core/lens/lens.h"

#include <Eigen/LU>
#include <cmath>

namespace dusky {

Lens Lens::simple(int width, int height, double focal_px) {
  Lens lens;
  lens.width = width;
  lens.height = height;
  lens.focal_px = focal_px;
  lens.cx_px = width / 2.0;
  lens.cy_px = height / 2.0;
  return lens;
}

void Lens::setParameters(const std::array<double, 8>& v) { focal_px = v[0], cx_px = v[1], cy_px = v[2], k1 = v[3], k2 = v[4], k3 = v[5], p1 = v[6], p2 = v[7]; }

Vec2 Lens::distort(const Vec2& n) const {
  const double x = n.x(), y = n.y(), r2 = x * x + y * y;
  const double radial = 1 + r2 * (k1 + r2 * (k2 + r2 * k3));
  return {focal_px * (x * radial + 2 * p1 * x * y + p2 * (r2 + 2 * x * x)) + cx_px, focal_px * (y * radial + p1 * (r2 + 2 * y * y) + 2 * p2 * x * y) + cy_px};
}

std::optional<Vec2> project(const Lens& lens, const Pose& camera, const Vec3& point) {
  const Vec3 p = camera.toCamera(point);
  if (p.z() < 1e-6) return std::nullopt;
  return lens.distort(p.hnormalized());
}

LensSlopes lensSlopes(const Lens& lens, const Vec2& n) {
  const double x = n.x(), y = n.y(), r2 = x * x + y * y, f = lens.focal_px;
  const double radial = 1 + r2 * (lens.k1 + r2 * (lens.k2 + r2 * lens.k3));
  const double radial_slope = lens.k1 + r2 * (2 * lens.k2 + r2 * 3 * lens.k3);  // by r2
  const double p1 = lens.p1, p2 = lens.p2;
  LensSlopes s;
  s.by_point << f * (radial + 2 * x * x * radial_slope + 2 * p1 * y + 6 * p2 * x), f * (2 * x * y * radial_slope + 2 * p1 * x + 2 * p2 * y),
      f * (2 * x * y * radial_slope + 2 * p1 * x + 2 * p2 * y), f * (radial + 2 * y * y * radial_slope + 6 * p1 * y + 2 * p2 * x);
  const double dx = x * radial + 2 * p1 * x * y + p2 * (r2 + 2 * x * x), dy = y * radial + p1 * (r2 + 2 * y * y) + 2 * p2 * x * y;
  s.by_lens << dx, 1, 0, f * x * r2, f * x * r2 * r2, f * x * r2 * r2 * r2, f * 2 * x * y, f * (r2 + 2 * x * x), dy, 0, 1, f * y * r2, f * y * r2 * r2,
      f * y * r2 * r2 * r2, f * (r2 + 2 * y * y), f * 2 * x * y;
  return s;
}

bool Lens::risingUpTo(double radius) const {
  constexpr int kProbes = 12;
  for (int i = 1; i <= kProbes; ++i) {
    const double r2 = radius * radius * i / kProbes;
    if (1 + r2 * (3 * k1 + r2 * (5 * k2 + r2 * 7 * k3)) <= 0) return false;
  }
  return true;
}

std::optional<Vec2> Lens::undistort(const Vec2& pixel) const {
  Vec2 n((pixel.x() - cx_px) / focal_px, (pixel.y() - cy_px) / focal_px);
  if (k1 == 0 && k2 == 0 && k3 == 0 && p1 == 0 && p2 == 0) return n;
  for (int half = 0; half < 30 && !risingUpTo(n.norm()); ++half) n *= 0.8;
  for (int step = 0; step < 60; ++step) {
    const Vec2 miss = pixel - distort(n);
    if (miss.squaredNorm() < 1e-18) break;
    Vec2 move = lensSlopes(*this, n).by_point.inverse() * miss;
    if (!move.allFinite()) return std::nullopt;
    // Stay on the rising side: halve a step that would leave it or make things worse.
    for (int half = 0; half < 30 && (!risingUpTo((n + move).norm()) || (pixel - distort(n + move)).squaredNorm() > miss.squaredNorm()); ++half) move /= 2;
    n += move;
  }
  if ((pixel - distort(n)).norm() > 1e-6 || !risingUpTo(n.norm())) return std::nullopt;
  return n;
}

}  // namespace dusky
