#include "core/lens/bend.h"

#include <cmath>

namespace dusky {
namespace {

using Mat2 = Eigen::Matrix2d;

Vec2 bendBrown(const Lens& lens, const Vec2& n) {
  const auto& c = lens.coefficients;
  const double x = n.x(), y = n.y(), r2 = x * x + y * y, p1 = c[3], p2 = c[4];
  const double radial = 1 + r2 * (c[0] + r2 * (c[1] + r2 * c[2]));
  return {x * radial + 2 * p1 * x * y + p2 * (r2 + 2 * x * x), y * radial + p1 * (r2 + 2 * y * y) + 2 * p2 * x * y};
}

void brownSlopes(const Lens& lens, const Vec2& n, BendSlopes& s) {
  const auto& c = lens.coefficients;
  const double x = n.x(), y = n.y(), r2 = x * x + y * y, r4 = r2 * r2, r6 = r4 * r2, p1 = c[3], p2 = c[4];
  const double radial = 1 + r2 * (c[0] + r2 * (c[1] + r2 * c[2]));
  const double by_r2 = c[0] + r2 * (2 * c[1] + r2 * 3 * c[2]);
  const double mixed = 2 * x * y * by_r2 + 2 * p1 * x + 2 * p2 * y;
  s.value = bendBrown(lens, n);
  s.by_point << radial + 2 * x * x * by_r2 + 2 * p1 * y + 6 * p2 * x, mixed, mixed, radial + 2 * y * y * by_r2 + 6 * p1 * y + 2 * p2 * x;
  s.by_coefficient.leftCols<5>() << x * r2, x * r4, x * r6, 2 * x * y, r2 + 2 * x * x, y * r2, y * r4, y * r6, r2 + 2 * y * y, 2 * x * y;
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

void fisheyeSlopes(const Lens& lens, const Vec2& n, BendSlopes& s) {
  const double r = n.norm();
  s.value = bendFisheye(lens, n);
  if (r < kOnAxis) {
    s.by_point.setIdentity();
    return;
  }
  const FisheyeRadius radius = fisheyeRadius(lens, r);
  const Vec2 out = n / r;
  // Along the radius the bent length grows by by_angle * dt/dr; across it the place only turns.
  const double along = radius.by_angle / (1 + r * r), across = radius.bent / r;
  s.by_point = across * Mat2::Identity() + (along - across) * out * out.transpose();
  double power = radius.angle * radius.angle * radius.angle;
  for (int k = 0; k < 4; ++k, power *= radius.angle * radius.angle) s.by_coefficient.col(k) = out * power;
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

void anamorphicSlopes(const Lens& lens, const Vec2& n, BendSlopes& s) {
  const auto& c = lens.coefficients;
  const Mat2 turned = turn(c[1]), back = turned.transpose();
  const Vec2 q = turned * n;
  const Even ex = evenPolynomial(&c[2], q.x(), q.y()), ey = evenPolynomial(&c[7], q.x(), q.y());
  const Vec2 w(q.x() * ex.value, c[0] * q.y() * ey.value);
  Mat2 inner;
  inner << ex.value + q.x() * ex.by_x, q.x() * ex.by_y, c[0] * q.y() * ey.by_x, c[0] * (ey.value + q.y() * ey.by_y);
  s.value = back * w;
  s.by_point = back * inner * turned;
  // d turn(a) / da = turn(a) * quarter turn.
  const Vec2 q_turned(-q.y(), q.x()), w_turned(-w.y(), w.x());
  s.by_coefficient.col(0) = back * Vec2(0, q.y() * ey.value);
  s.by_coefficient.col(1) = back * (inner * q_turned - w_turned);
  for (int k = 0; k < 5; ++k) {
    s.by_coefficient.col(2 + k) = back * Vec2(q.x() * ex.powers[k], 0);
    s.by_coefficient.col(7 + k) = back * Vec2(0, c[0] * q.y() * ey.powers[k]);
  }
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

BendSlopes bendSlopes(const Lens& lens, const Vec2& n) {
  BendSlopes s{n, Mat2::Identity(), {}};
  s.by_coefficient.setZero();
  switch (lens.model) {
    case LensModel::None: break;
    case LensModel::Brown: brownSlopes(lens, n, s); break;
    case LensModel::Fisheye: fisheyeSlopes(lens, n, s); break;
    case LensModel::Anamorphic: anamorphicSlopes(lens, n, s); break;
  }
  return s;
}

std::optional<Vec2> straightTo(const Lens& lens, const Vec2& pixel, Vec2 n) {
  for (int step = 0; step < 8; ++step) {
    const Vec2 miss = pixel - lens.distort(n);
    if (miss.squaredNorm() < 1e-18) return n;
    n += lensSlopes(lens, n).by_point.inverse() * miss;
    if (!n.allFinite()) return std::nullopt;
  }
  return std::nullopt;
}

}  // namespace dusky
