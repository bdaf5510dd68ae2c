#include "core/lens/lens.h"

#include <gtest/gtest.h>

namespace dusky::testing {

Lens barrel() {
  Lens lens = Lens::simple(1280, 720, 1124);
  lens.cx_px = 649.7, lens.cy_px = 353.2;
  lens.k1 = -0.112, lens.k2 = 0.031, lens.k3 = -0.004, lens.p1 = 0.0007, lens.p2 = -0.0005;
  return lens;
}

Lens pincushion() {
  Lens lens = Lens::simple(1920, 1080, 1500);
  lens.k1 = 0.18, lens.k2 = -0.02;
  return lens;
}

/// A property of every lens: undistort gives back what distort was given, over the whole picture.
void expectRoundTrip(const Lens& lens) {
  for (int j = 0; j <= 24; ++j) {
    for (int i = 0; i <= 24; ++i) {
      const Vec2 pixel(lens.width * i / 24.0, lens.height * j / 24.0);
      const auto ray = lens.undistort(pixel);
      ASSERT_TRUE(ray.has_value()) << pixel.transpose();
      EXPECT_LT((lens.distort(*ray) - pixel).norm(), 1e-6);
    }
  }
}

TEST(Lens, RoundTripsOverTheWholePicture) {
  expectRoundTrip(Lens::simple(1280, 720, 900));
  expectRoundTrip(barrel());
  expectRoundTrip(pincushion());
}

TEST(Lens, WithoutDistortionItIsTheTextbookPinhole) {
  const Lens lens = Lens::simple(640, 480, 500);
  EXPECT_TRUE(lens.distort(Vec2(0.1, -0.2)).isApprox(Vec2(320 + 50, 240 - 100)));
  EXPECT_TRUE(lens.undistort(Vec2(320, 240))->isZero());
}

TEST(Lens, DistortsAsBrownWroteIt) {
  // One place worked out by hand: x = 0.3, y = -0.2, r2 = 0.13.
  Lens lens = Lens::simple(1000, 800, 1000);
  lens.k1 = -0.1, lens.k2 = 0.02, lens.p1 = 0.001, lens.p2 = -0.002;
  const double radial = 1 - 0.1 * 0.13 + 0.02 * 0.0169;
  const double x = 0.3 * radial + 2 * 0.001 * 0.3 * -0.2 + -0.002 * (0.13 + 2 * 0.09);
  const double y = -0.2 * radial + 0.001 * (0.13 + 2 * 0.04) + 2 * -0.002 * 0.3 * -0.2;
  EXPECT_NEAR(lens.distort(Vec2(0.3, -0.2)).x(), 500 + 1000 * x, 1e-9);
  EXPECT_NEAR(lens.distort(Vec2(0.3, -0.2)).y(), 400 + 1000 * y, 1e-9);
}

TEST(Lens, SaysSoWhereAPixelLiesBeyondItsRange) {
  Lens lens = Lens::simple(1280, 720, 700);
  lens.k1 = -0.5;  // r (1 - 0.5 r2) turns back at r = sqrt(2 / 3) = 0.8165
  const double farthest = lens.distort(Vec2(0.8165, 0)).x();
  EXPECT_TRUE(lens.undistort(Vec2(farthest - 5, 360)).has_value());
  EXPECT_FALSE(lens.undistort(Vec2(farthest + 5, 360)).has_value());
  EXPECT_TRUE(lens.risingUpTo(0.8));
  EXPECT_FALSE(lens.risingUpTo(0.9));
}

TEST(Lens, SlopesAgreeWithDifferences) {
  const Lens lens = barrel();
  const Vec2 at(0.31, -0.22);
  const LensSlopes slopes = lensSlopes(lens, at);
  constexpr double e = 1e-6;
  for (int k = 0; k < 2; ++k) {
    const Vec2 by = (lens.distort(at + e * Vec2::Unit(k)) - lens.distort(at - e * Vec2::Unit(k))) / (2 * e);
    EXPECT_LT((slopes.by_point.col(k) - by).norm(), 1e-4);
  }
  for (int k = 0; k < 8; ++k) {
    Lens more = lens, less = lens;
    auto p = lens.parameters();
    p[k] += e;
    more.setParameters(p);
    p[k] -= 2 * e;
    less.setParameters(p);
    EXPECT_LT((slopes.by_lens.col(k) - (more.distort(at) - less.distort(at)) / (2 * e)).norm(), 1e-4) << kLensParameterNames[k];
  }
}

TEST(Project, NeedsThePointInFront) {
  const Lens lens = Lens::simple(640, 480, 500);
  const Pose camera{Eigen::Quaterniond::Identity(), Vec3(0, 0, -2)};
  EXPECT_TRUE(project(lens, camera, Vec3(0.4, 0, 2))->isApprox(Vec2(320 + 50, 240)));
  EXPECT_FALSE(project(lens, camera, Vec3(0, 0, -3)).has_value());
}

}  // namespace dusky::testing
