#include <gtest/gtest.h>

#include <cmath>

#include "core/image/color_scale.h"
#include "core/image/pyramid.h"

namespace dusky::testing {

/// A picture whose value at continuous (u, v) is known everywhere.
FloatPlane ramp(int width, int height, double du, double dv) {
  FloatPlane plane(width, height);
  for (int y = 0; y < height; ++y) {
    for (int x = 0; x < width; ++x) plane.at(x, y) = static_cast<float>(du * (x + 0.5) + dv * (y + 0.5));
  }
  return plane;
}

TEST(Pyramid, HalvingKeepsContinuousCoordinates) {
  const Pyramid pyramid = buildPyramid(ramp(128, 96, 0.7, -0.3), 5);
  ASSERT_EQ(pyramid.levels.size(), 3u) << "a fourth level would be under 24 px";
  const FloatPlane& half = pyramid.levels[1];
  EXPECT_EQ(half.width, 64);
  EXPECT_EQ(half.height, 48);
  // Away from the border, a plane stays the same plane: place (u, v) of level 1 is (2u, 2v) of level 0.
  for (int y = 2; y < 46; ++y) {
    for (int x = 2; x < 62; ++x) EXPECT_NEAR(half.at(x, y), 0.7 * 2 * (x + 0.5) - 0.3 * 2 * (y + 0.5), 1e-3);
  }
}

TEST(Pyramid, OddSizesLoseTheirLastRowOnly) {
  const Pyramid pyramid = buildPyramid(ramp(101, 99, 1, 1), 2);
  EXPECT_EQ(pyramid.levels[1].width, 50);
  EXPECT_EQ(pyramid.levels[1].height, 49);
}

TEST(SampleLinear, IsExactOnAPlaneAndClampsOutside) {
  const FloatPlane plane = ramp(40, 30, 2, 3);
  EXPECT_NEAR(sampleLinear(plane, 10.3f, 7.8f), 2 * 10.3 + 3 * 7.8, 1e-3);
  EXPECT_NEAR(sampleLinear(plane, -5.0f, 7.5f), 2 * 0.5 + 3 * 7.5, 1e-3);
  EXPECT_NEAR(sampleLinear(plane, 100.0f, 7.5f), 2 * 39.5 + 3 * 7.5, 0.01);
}

double lightness(Rgb c) {
  const auto linear = [](int v) { return std::pow(v / 255.0, 2.2); };
  return 116 * std::cbrt(0.2126 * linear(c.r) + 0.7152 * linear(c.g) + 0.0722 * linear(c.b)) - 16;
}

TEST(ErrorColor, GetsLighterWithTheErrorSoThatItReadsInGreyscale) {
  for (int i = 0; i < 50; ++i) EXPECT_LT(lightness(errorColor(i / 50.0)), lightness(errorColor((i + 1) / 50.0))) << "at " << i;
  EXPECT_LT(lightness(errorColor(0)), 30);
  EXPECT_GT(lightness(errorColor(1)), 85);
}

TEST(ErrorColor, ClampsAndHasItsOwnColourForUnknown) {
  EXPECT_EQ(errorColor(-3), errorColor(0));
  EXPECT_EQ(errorColor(7), errorColor(1));
  const Rgb unknown = errorColor(std::nan(""));
  for (int i = 0; i <= 100; ++i) EXPECT_FALSE(errorColor(i / 100.0) == unknown);
}

}  // namespace dusky::testing
