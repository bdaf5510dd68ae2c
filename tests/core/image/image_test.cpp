#include <gtest/gtest.h>

#include <cmath>

#include "core/image/color_scale.h"
#include "core/image/frame_ranges.h"
#include "core/image/pyramid.h"
#include "core/image/tone.h"

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

TEST(FrameRanges, AreReadAsTheyAreWritten) {
  const auto read = readRanges("60-80, 7,12 - 15, 8, 78–90");
  ASSERT_TRUE(read.ok()) << read.error().message;
  EXPECT_EQ(*read, (std::vector<FrameRange>{{7, 8}, {12, 15}, {60, 90}}));
  EXPECT_EQ(listed(*read), "7–8, 12–15, 60–90");
  EXPECT_EQ(*readRanges(listed(*read)), *read);
  EXPECT_EQ(listed(std::vector<int>{-3, -2, 4}), "-3–-2, 4");
  EXPECT_EQ(*readRanges("-3–-2"), (std::vector<FrameRange>{{-3, -2}}));
  EXPECT_TRUE(readRanges("")->empty());
  for (const char* wrong : {"seven", "9-7", "4-", "1;2", "3-x", "5,,6"}) EXPECT_FALSE(readRanges(wrong).ok()) << wrong;
  EXPECT_NE(readRanges("4, 9-7").error().message.find("9-7"), std::string::npos);
}

TEST(Tone, StopsAndCurvesAreThoseOfLight) {
  FloatPlane grey(1, 1, 100.0f);
  const auto under = [&](const Tone& tone) { return toned(grey, tone).at(0, 0); };
  EXPECT_EQ(under({}), 100);
  EXPECT_NEAR(under({.exposure_stops = 1}), 100 * std::pow(2.0, 1 / 2.2), 0.1) << "a stop is twice the light";
  EXPECT_NEAR(under({.gamma = 2}), 255 * std::sqrt(100.0 / 255), 0.1);
  EXPECT_NEAR(under({.curve = ToneCurve::Linear}), 255 * std::pow(100.0 / 255, 1 / 2.2), 0.1);
  const double light = (std::exp2(10.0 * 100 / 255) - 1) / 1023;
  EXPECT_NEAR(under({.curve = ToneCurve::Log}), 255 * std::pow(light, 1 / 2.2), 0.1);
  EXPECT_EQ(under({.exposure_stops = 9}), 255) << "the end is the end";
  const Picture picture = toned(Picture(1, 1, Rgb{100, 0, 255}), {.exposure_stops = 1});
  EXPECT_NEAR(picture.at(0, 0).r, under({.exposure_stops = 1}), 0.51) << "seen as it is tracked";
  EXPECT_EQ(picture.at(0, 0).g, 0);
}

TEST(Tone, TheBestChannelIsTheOneWithDetailOverNoise) {
  Picture picture(120, 90);
  for (int y = 0; y < 90; ++y) {
    for (int x = 0; x < 120; ++x) {
      const int noise = (x * 7919 + y * 104729 + x * y * 31) % 23;
      const auto wave = static_cast<std::uint8_t>(128 + 90 * std::sin(0.35 * x) * std::cos(0.3 * y));
      picture.at(x, y) = {static_cast<std::uint8_t>(100 + noise), static_cast<std::uint8_t>(90 + noise), wave};
    }
  }
  EXPECT_EQ(bestChannel(picture), Channel::Blue);
  EXPECT_EQ(channelOf(picture, Channel::Red).at(3, 3), picture.at(3, 3).r);
  const Picture blue = onlyChannel(picture, Channel::Blue);
  EXPECT_EQ(blue.at(9, 9).r, picture.at(9, 9).b);
}

TEST(Tone, EvenContrastLiftsShadowsButNotFlatWalls) {
  FloatPlane plane(200, 100, 60.0f);
  for (int y = 0; y < 100; ++y) {
    for (int x = 0; x < 200; ++x) {
      const double wave = std::sin(0.5 * x) * std::sin(0.5 * y);
      if (x < 90) plane.at(x, y) = static_cast<float>(20 + 6 * wave);
      if (x >= 110) plane.at(x, y) = static_cast<float>(160 + 70 * wave);
    }
  }
  const FloatPlane even = evenContrast(plane, 12);
  const auto spread = [&](int x0, int x1) {
    double sum = 0, squares = 0;
    int n = 0;
    for (int y = 30; y < 70; ++y) {
      for (int x = x0; x < x1; ++x, ++n) sum += even.at(x, y), squares += even.at(x, y) * even.at(x, y);
    }
    return std::sqrt(squares / n - sum * sum / n / n);
  };
  EXPECT_GT(spread(25, 65), 12) << "from 3 grey levels";
  EXPECT_NEAR(spread(135, 185), 36, 6);
  const FloatPlane flat = evenContrast(FloatPlane(60, 60, 90.0f), 12);
  EXPECT_NEAR(flat.at(30, 30), 128, 1e-3);
}
}  // namespace dusky::testing
