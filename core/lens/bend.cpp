#include "core/lens/bend.h"

#include <cmath>

namespace dusky {
namespace {

using Mat2 = Eigen::Matrix2d;
using ByCoefficient = decltype(BendSlopes::by_coefficient);

Vec2 bendBrown(const Lens& lens, const Vec2& n) {
  const auto& c = lens.coefficients;
  const double x = n.x(), y = n.y(), r2 = x * x + y * y, p1 = c[3], p2 = c[4];
  const double radial = 1 + r2 * (c[0] + r2 * (c[1] + r2 * c[2]));
  return {x * radial + 2 * p1 * x * y + p2 * (r2 + 2 * x * x), y * radial + p1 * (r2 + 2 * y * y) + 2 * p2 * x * y};
}

Bent brownAt(const Lens& lens, const Vec2& n) {
  const auto& c = lens.coefficients;
  const double x = n.x(), y = n.y(), r2 = x * x + y * y, p1 = c[3], p2 = c[4];
  const double radial = 1 + r2 * (c[0] + r2 * (c[1] + r2 * c[2]));
  const double by_r2 = c[0] + r2 * (2 * c[1] + r2 * 3 * c[2]);
  const double mixed = 2 * x * y * by_r2 + 2 * p1 * x + 2 * p2 * y;
  Bent b{bendBrown(lens, n), {}};
  b.by_point << radial + 2 * x * x * by_r2 + 2 * p1 * y + 6 * p2 * x, mixed, mixed, radial + 2 * y * y * by_r2 + 6 * p1 * y + 2 * p2 * x;
  return b;
}

ByCoefficient brownByCoefficient(const Vec2& n) {
  const double x = n.x(), y = n.y(), r2 = x * x + y * y, r4 = r2 * r2, r6 = r4 * r2;
  ByCoefficient slopes = ByCoefficient::Zero();
  slopes.leftCols<5>() << x * r2, x * r4, x * r6, 2 * x * y, r2 + 2 * x * x, y * r2, y * r4, y * r6, r2 + 2 * y * y, 2 * x * y;
  return slopes;
}

/// Share of the angle to the place's distance from the axis, and its slope by that distance over the distance.
struct FisheyeRadius {
  double angle, bent, by_angle;
};

FisheyeRadius fisheyeRadius(const Lens& lens, double r) {
  const auto& k = lens.coefficients;
  const double t = std::atan(r), t2 = t * t;
  return {t, t * (1 + t2 * (k[0] + t2 * (k[1] + t2 * (k[2] + t2 * k[3])))), 1 + t2 * (3 * k[0] + t2 * (5 * k[1] + t2 * (7 * k[2] + t2 * 9 * k[3])))};
}

constexpr double kOnAxis = 1e-7;

Vec2 bendFisheye(const Lens& lens, const Vec2& n) {
  const double r = n.norm();
  return r < kOnAxis ? n : Vec2(n * (fisheyeRadius(lens, r).bent / r));
}

Bent fisheyeAt(const Vec2& n, const FisheyeRadius& radius) {
  const double r = n.norm();
  if (r < kOnAxis) return {n, Mat2::Identity()};
  const Vec2 out = n / r;
  // Along the radius the bent length grows by by_angle * dt/dr; across it the place only turns.
  const double along = radius.by_angle / (1 + r * r), across = radius.bent / r;
  return {n * across, across * Mat2::Identity() + (along - across) * out * out.transpose()};
}

ByCoefficient fisheyeByCoefficient(const Vec2& n, const FisheyeRadius& radius) {
  ByCoefficient slopes = ByCoefficient::Zero();
  const double r = n.norm();
  if (r < kOnAxis) return slopes;
  double power = radius.angle * radius.angle * radius.angle;
  for (int k = 0; k < 4; ++k, power *= radius.angle * radius.angle) slopes.col(k) = n / r * power;
  return slopes;
}

/// The even polynomial of degree 4 with its slopes: 1 + a x^2 + b y^2 + c x^4 + d x^2 y^2 + e y^4.
struct Even {
  double value, by_x, by_y;
  Eigen::Matrix<double, 5, 1> powers;
};

Even evenPolynomial(const double* c, double x, double y) {
  const double x2 = x * x, y2 = y * y;
  Even e;
  e.powers << x2, y2, x2 * x2, x2 * y2, y2 * y2;
  e.value = 1 + c[0] * x2 + c[1] * y2 + c[2] * x2 * x2 + c[3] * x2 * y2 + c[4] * y2 * y2;
  e.by_x = 2 * x * (c[0] + 2 * c[2] * x2 + c[3] * y2);
  e.by_y = 2 * y * (c[1] + c[3] * x2 + 2 * c[4] * y2);
  return e;
}

Mat2 turn(double angle) {
  Mat2 m;
  m << std::cos(angle), -std::sin(angle), std::sin(angle), std::cos(angle);
  return m;
}

Vec2 bendAnamorphic(const Lens& lens, const Vec2& n) {
  const auto& c = lens.coefficients;
  const Mat2 turned = turn(c[1]);
  const Vec2 q = turned * n;
  return turned.transpose() * Vec2(q.x() * evenPolynomial(&c[2], q.x(), q.y()).value, c[0] * q.y() * evenPolynomial(&c[7], q.x(), q.y()).value);
}

/// A place in the lens's own turned frame, and what the lens does there.
struct Squeezed {
  Mat2 turned, inner;
  Vec2 q, w;
  Even x, y;
};

Squeezed squeezedAt(const Lens& lens, const Vec2& n) {
  const auto& c = lens.coefficients;
  Squeezed s;
  s.turned = turn(c[1]), s.q = s.turned * n;
  s.x = evenPolynomial(&c[2], s.q.x(), s.q.y()), s.y = evenPolynomial(&c[7], s.q.x(), s.q.y());
  s.w = Vec2(s.q.x() * s.x.value, c[0] * s.q.y() * s.y.value);
  s.inner << s.x.value + s.q.x() * s.x.by_x, s.q.x() * s.x.by_y, c[0] * s.q.y() * s.y.by_x, c[0] * (s.y.value + s.q.y() * s.y.by_y);
  return s;
}

Bent anamorphicAt(const Squeezed& s) { return {s.turned.transpose() * s.w, s.turned.transpose() * s.inner * s.turned}; }

ByCoefficient anamorphicByCoefficient(const Lens& lens, const Squeezed& s) {
  ByCoefficient slopes = ByCoefficient::Zero();
  const Mat2 back = s.turned.transpose();
  // d turn(a) / da = turn(a) * quarter turn.
  const Vec2 q_turned(-s.q.y(), s.q.x()), w_turned(-s.w.y(), s.w.x());
  slopes.col(0) = back * Vec2(0, s.q.y() * s.y.value);
  slopes.col(1) = back * (s.inner * q_turned - w_turned);
  for (int k = 0; k < 5; ++k) {
    slopes.col(2 + k) = back * Vec2(s.q.x() * s.x.powers[k], 0);
    slopes.col(7 + k) = back * Vec2(0, lens.coefficients[0] * s.q.y() * s.y.powers[k]);
  }
  return slopes;
}

}  // namespace

Vec2 bend(const Lens& lens, const Vec2& n) {
  switch (lens.model) {
    case LensModel::None: return n;
    case LensModel::Brown: return bendBrown(lens, n);
    case LensModel::Fisheye: return bendFisheye(lens, n);
    case LensModel::Anamorphic: return bendAnamorphic(lens, n);
  }
  return n;
}

Bent bentAt(const Lens& lens, const Vec2& n) {
  switch (lens.model) {
    case LensModel::None: break;
    case LensModel::Brown: return brownAt(lens, n);
    case LensModel::Fisheye: return fisheyeAt(n, fisheyeRadius(lens, n.norm()));
    case LensModel::Anamorphic: return anamorphicAt(squeezedAt(lens, n));
  }
  return {n, Mat2::Identity()};
}

BendSlopes bendSlopes(const Lens& lens, const Vec2& n) {
  switch (lens.model) {
    case LensModel::None: break;
    case LensModel::Brown: return {brownAt(lens, n), brownByCoefficient(n)};
    case LensModel::Fisheye: {
      const FisheyeRadius radius = fisheyeRadius(lens, n.norm());
      return {fisheyeAt(n, radius), fisheyeByCoefficient(n, radius)};
    }
    case LensModel::Anamorphic: {
      const Squeezed squeezed = squeezedAt(lens, n);
      return {anamorphicAt(squeezed), anamorphicByCoefficient(lens, squeezed)};
    }
  }
  return {{n, Mat2::Identity()}, ByCoefficient::Zero()};
}

std::optional<Vec2> straightTo(const Lens& lens, const Vec2& pixel, Vec2 n) {
  const Vec2 straight = lens.straightRay(pixel), scale(lens.focal_px, lens.focal_px * lens.pixel_aspect);
  for (int step = 0; step < 8; ++step) {
    const Bent bent = bentAt(lens, n);
    const Vec2 miss = straight - bent.value;
    if (miss.cwiseProduct(scale).squaredNorm() < 1e-18) return n;
    n += bent.by_point.inverse() * miss;
    if (!n.allFinite()) return std::nullopt;
  }
  return std::nullopt;
}

}  // namespace dusky
