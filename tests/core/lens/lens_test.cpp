#include "core/lens/lens.h"

#include <gmock/gmock.h>
#include <gtest/gtest.h>

#include "core/lens/lens_file.h"

namespace dusky::testing {

Lens barrel() {
  Lens lens = Lens::simple(1280, 720, 1124);
  lens.cx_px = 649.7, lens.cy_px = 353.2;
  lens.k1() = -0.112, lens.k2() = 0.031, lens.k3() = -0.004, lens.p1() = 0.0007, lens.p2() = -0.0005;
  return lens;
}

Lens pincushion() {
  Lens lens = Lens::simple(1920, 1080, 1500);
  lens.k1() = 0.18, lens.k2() = -0.02;
  return lens;
}

/// 150 degrees across the width.
Lens fisheye() {
  Lens lens = Lens::simple(1280, 720, 640 / (75 * M_PI / 180), LensModel::Fisheye);
  lens.coefficients = {-0.02, 0.004, -0.001, 0.0002};
  lens.cx_px += 4;
  return lens;
}

Lens anamorphic() {
  Lens lens = Lens::simple(1440, 1080, 1300, LensModel::Anamorphic);
  lens.coefficients = {1.94, 0.012, -0.06, -0.02, 0.01, 0.004, -0.002, -0.03, -0.09, 0.006, -0.003, 0.02};
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
  expectRoundTrip(fisheye());
  expectRoundTrip(anamorphic());
  Lens wide_pixels = barrel();
  wide_pixels.pixel_aspect = 1.8;
  expectRoundTrip(wide_pixels);
  for (const Lens& lens : {barrel(), fisheye(), anamorphic(), wide_pixels}) EXPECT_TRUE(lens.coversPicture());
}

TEST(Lens, WithoutDistortionItIsTheTextbookPinhole) {
  const Lens lens = Lens::simple(640, 480, 500);
  EXPECT_TRUE(lens.distort(Vec2(0.1, -0.2)).isApprox(Vec2(320 + 50, 240 - 100)));
  EXPECT_TRUE(lens.undistort(Vec2(320, 240))->isZero());
}

TEST(Lens, DistortsAsBrownWroteIt) {
  // One place worked out by hand: x = 0.3, y = -0.2, r2 = 0.13.
  Lens lens = Lens::simple(1000, 800, 1000);
  lens.k1() = -0.1, lens.k2() = 0.02, lens.p1() = 0.001, lens.p2() = -0.002;
  const double radial = 1 - 0.1 * 0.13 + 0.02 * 0.0169;
  const double x = 0.3 * radial + 2 * 0.001 * 0.3 * -0.2 + -0.002 * (0.13 + 2 * 0.09);
  const double y = -0.2 * radial + 0.001 * (0.13 + 2 * 0.04) + 2 * -0.002 * 0.3 * -0.2;
  EXPECT_NEAR(lens.distort(Vec2(0.3, -0.2)).x(), 500 + 1000 * x, 1e-9);
  EXPECT_NEAR(lens.distort(Vec2(0.3, -0.2)).y(), 400 + 1000 * y, 1e-9);
}

TEST(Lens, SaysSoWhereAPixelLiesBeyondItsRange) {
  Lens lens = Lens::simple(1280, 720, 700);
  lens.k1() = -0.5;  // r (1 - 0.5 r2) turns back at r = sqrt(2 / 3) = 0.8165
  const double farthest = lens.distort(Vec2(0.8165, 0)).x();
  EXPECT_TRUE(lens.undistort(Vec2(farthest - 5, 360)).has_value());
  EXPECT_FALSE(lens.undistort(Vec2(farthest + 5, 360)).has_value());
  EXPECT_TRUE(lens.risingUpTo(Vec2(0.8, 0)));
  EXPECT_FALSE(lens.risingUpTo(Vec2(0, 0.9)));
}

TEST(Lens, SlopesAgreeWithDifferences) {
  Lens wide_pixels = pincushion();
  wide_pixels.pixel_aspect = 2;
  for (const Lens& lens : {barrel(), fisheye(), anamorphic(), wide_pixels}) {
    const Vec2 at(0.31, -0.22);
    const LensSlopes slopes = lensSlopes(lens, at);
    constexpr double e = 1e-6;
    for (int k = 0; k < 2; ++k) {
      const Vec2 by = (lens.distort(at + e * Vec2::Unit(k)) - lens.distort(at - e * Vec2::Unit(k))) / (2 * e);
      EXPECT_LT((slopes.by_point.col(k) - by).norm(), 1e-4);
    }
    const auto names = lensParameterNames(lens.model);
    for (std::size_t k = 0; k < names.size(); ++k) {
      Lens more = lens, less = lens;
      LensParameters p = lens.parameters();
      p[k] += e;
      more.setParameters(p);
      p[k] -= 2 * e;
      less.setParameters(p);
      EXPECT_LT((slopes.by_lens.col(static_cast<int>(k)) - (more.distort(at) - less.distort(at)) / (2 * e)).norm(), 1e-4)
          << describe(lens.model) << " " << names[k];
    }
  }
}

TEST(Lens, AFisheyeDrawsAnglesEvenly) {
  const Lens lens = Lens::simple(1000, 800, 300, LensModel::Fisheye);
  for (const double degrees : {10.0, 45.0, 80.0}) {
    const double angle = degrees * M_PI / 180;
    EXPECT_NEAR(lens.distort(Vec2(std::tan(angle), 0)).x(), 500 + 300 * angle, 1e-9) << degrees;
  }
}

TEST(Lens, AnAnamorphicSqueezesTheWidth) {
  Lens lens = Lens::simple(1000, 800, 500, LensModel::Anamorphic);
  lens.squeeze() = 2;
  EXPECT_TRUE(lens.distort(Vec2(0.2, 0.2)).isApprox(Vec2(600, 600)));
  lens.coefficients[1] = M_PI / 2;
  EXPECT_TRUE(lens.distort(Vec2(0.2, 0.1)).isApprox(Vec2(500 + 200, 450))) << "turned by a quarter, the height is squeezed";
}

TEST(LensFile, BringsEveryModelBack) {
  for (const Lens& lens : {barrel(), fisheye(), anamorphic(), Lens::simple(640, 480, 500, LensModel::None)}) {
    const auto back = lensFromJson(lensToJson(lens));
    ASSERT_TRUE(back.ok()) << back.error().message;
    EXPECT_EQ(*back, lens);
  }
}

TEST(LensFile, SaysWhatIsWrongAndFitsOtherSizes) {
  using ::testing::HasSubstr;
  const auto why = [](const std::string& text) { return lensFromJson(text).ok() ? "" : lensFromJson(text).error().message; };
  EXPECT_THAT(why("lens"), HasSubstr("cannot be read"));
  EXPECT_THAT(why("{\"format\":\"other\"}"), HasSubstr("neither"));
  EXPECT_THAT(why(R"({"format":"dusky-moth-lens","width":9,"height":9,"model":"mirror","parameters":{}})"), HasSubstr("mirror"));
  EXPECT_THAT(why(R"({"format":"dusky-moth-lens","width":9,"height":9,"model":"none","parameters":{}})"), HasSubstr("over 0"));
  const Lens lens = barrel();
  const auto half = lensFor(lens, 640, 360);
  ASSERT_TRUE(half.ok());
  EXPECT_TRUE((2 * half->distort(Vec2(0.3, -0.2))).isApprox(lens.distort(Vec2(0.3, -0.2))));
  EXPECT_THAT(lensFor(lens, 640, 480).error().message, HasSubstr("1280×720"));
}

TEST(Project, NeedsThePointInFront) {
  const Lens lens = Lens::simple(640, 480, 500);
  const Pose camera{Eigen::Quaterniond::Identity(), Vec3(0, 0, -2)};
  EXPECT_TRUE(project(lens, camera, Vec3(0.4, 0, 2))->isApprox(Vec2(320 + 50, 240)));
  EXPECT_FALSE(project(lens, camera, Vec3(0, 0, -3)).has_value());
}

}  // namespace dusky::testing
