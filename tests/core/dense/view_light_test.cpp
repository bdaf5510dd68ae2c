// Keyframes of different exposure.
#include "core/dense/view_light.h"

#include <gmock/gmock.h>
#include <gtest/gtest.h>

#include <algorithm>
#include <cmath>

#include "core/dense/dense.h"
#include "tests/support/made_delivery.h"
#include "tests/support/true_depth.h"

namespace dusky::testing {
namespace {

/// Footage whose exposure falls from frame to frame, a little less than a third over the shot.
class FadingFootage : public FrameSource {
 public:
  explicit FadingFootage(std::unique_ptr<FrameSource> source) : source_(std::move(source)) {}
  const FootageInfo& info() const override { return source_->info(); }
  Result<Frame> read(int number, FrameUse use) override {
    auto frame = source_->read(number, use);
    if (!frame.ok()) return frame;
    const double gain = std::exp(-0.012 * (number - 1001));
    for (Rgb& c : frame->picture.data) {
      for (std::uint8_t* v : {&c.r, &c.g, &c.b}) *v = static_cast<std::uint8_t>(std::lround(gain * *v));
    }
    return frame;
  }

 private:
  std::unique_ptr<FrameSource> source_;
};

TEST(ViewLight, TheRatioOfTwoViewsIsFoundWhereBothSeeTheSame) {
  MadeShot shot(depthPlan());
  const TrueDepth truth = trueDepth(shot, 12);
  auto view = straightView(shot, 12), other = straightView(shot, 8);
  DepthMap map;
  map.camera = truth.camera, map.depth = truth.depth, map.cost = FloatPlane(truth.depth.width, truth.depth.height, 0.1F);
  EXPECT_NEAR(lightRatio(view.front(), other.front(), map), 0, 0.01);
  for (float& v : other.front().grey.data) v *= 0.8F;
  EXPECT_NEAR(lightRatio(view.front(), other.front(), map), std::log(1 / 0.8), 0.01);
  for (float& v : other.front().grey.data) v = 2;
  EXPECT_TRUE(std::isnan(lightRatio(view.front(), other.front(), map)));
}

TEST(ViewLight, TiesAreLevelledAroundTheirMean) {
  const auto light = lightOf(4, std::vector<LightTie>{{0, 1, 0.2}, {1, 2, 0.1}, {2, 0, -0.3}});
  EXPECT_NEAR(light[0] - light[1], 0.2, 1e-4);
  EXPECT_NEAR(light[1] - light[2], 0.1, 1e-4);
  EXPECT_NEAR(light[0] + light[1] + light[2], 0, 1e-4);
  EXPECT_NEAR(light[3], 0, 1e-9);
}

TEST(ViewLight, ColoursOfAFadingShotAreLevelledAndThatIsSaid) {
  const MadeDelivery made(depthPlan());
  const auto apartOf = [&](bool fades, std::vector<std::string>& told) {
    const auto open = [&]() -> Result<std::unique_ptr<FrameSource>> {
      auto source = made.input().open_footage();
      if (!source.ok() || !fades) return source;
      return std::unique_ptr<FrameSource>(std::make_unique<FadingFootage>(std::move(*source)));
    };
    const auto dense = makeDense({made.solution, open}, {}, {});
    EXPECT_TRUE(dense.ok());
    double sum = 0;
    for (const DensePoint& point : dense->cloud.points) sum += point.color_apart;
    told = dense->warnings;
    return sum / static_cast<double>(dense->cloud.points.size());
  };
  std::vector<std::string> even_told, fading_told;
  const double even = apartOf(false, even_told), fading = apartOf(true, fading_told);
  EXPECT_THAT(even_told, ::testing::IsEmpty());
  ASSERT_EQ(fading_told.size(), 1U);
  EXPECT_THAT(fading_told[0], ::testing::HasSubstr("levelled"));
  EXPECT_LT(fading, even + 1.5);  // grey levels; not levelled, views a quarter apart would differ by ten
}

}  // namespace
}  // namespace dusky::testing
