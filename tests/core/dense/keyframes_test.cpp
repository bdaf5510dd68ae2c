// Which frames depth is made for: evenly along the path, the sharp ones of those near by, or those that an artist chose.
#include "core/dense/keyframes.h"

#include <gmock/gmock.h>
#include <gtest/gtest.h>

#include <cmath>

#include "core/dense/dense.h"
#include "core/dense/sharpness.h"
#include "core/image/resample.h"
#include "tests/support/made_delivery.h"

namespace dusky::testing {
namespace {
using ::testing::HasSubstr;

const MadeDelivery& made() {
  static const MadeDelivery one([] {
    ShotPlan plan = planShot(ShotKind::Free);
    plan.width = 320, plan.height = 180, plan.frames = 30, plan.first_frame = 1001, plan.samples = 1;
    plan.lens = Lens::simple(320, 180, 280);
    return plan;
  }());
  return one;
}

/// Every third frame is out of focus.
class UnsteadyFocus : public FrameSource {
 public:
  explicit UnsteadyFocus(std::unique_ptr<FrameSource> inner) : inner_(std::move(inner)) {}
  static bool isBlurred(int frame) { return frame % 3 == 2; }
  const FootageInfo& info() const override { return inner_->info(); }
  Result<Frame> read(int number, FrameUse use) override {
    auto frame = inner_->read(number, use);
    if (!frame.ok() || !isBlurred(number)) return frame;
    const FloatPlane sharp = frame->luma;
    for (int y = 2; y + 2 < sharp.height; ++y) {
      for (int x = 2; x + 2 < sharp.width; ++x) {
        float sum = 0;
        for (int v = -2; v <= 2; ++v)
          for (int u = -2; u <= 2; ++u) sum += sharp.at(x + u, y + v);
        frame->luma.at(x, y) = sum / 25;
      }
    }
    return frame;
  }

 private:
  std::unique_ptr<FrameSource> inner_;
};

std::unique_ptr<FrameSource> unsteady() {
  auto footage = made().input().open_footage();
  return std::make_unique<UnsteadyFocus>(std::move(*footage));
}

int blurredAmong(const std::vector<Keyframe>& keys) {
  return static_cast<int>(std::count_if(keys.begin(), keys.end(), [](const Keyframe& key) { return UnsteadyFocus::isBlurred(key.frame); }));
}

TEST(Sharpness, TellsTheBlurredFrameBesideItsNeighbours) {
  const auto source = unsteady();
  const std::vector<int> frames = {1010, 1011, 1012, 1013, 1014};  // the first and the fourth are blurred
  ASSERT_TRUE(UnsteadyFocus::isBlurred(1010) && UnsteadyFocus::isBlurred(1013));
  const auto sharp = sharpnessOf(made().solution, *source, frames);
  ASSERT_TRUE(sharp.ok()) << sharp.error().message;
  EXPECT_EQ((*sharp)[0], 0);
  EXPECT_NEAR((*sharp)[3], 0, 0.2);
  for (const std::size_t k : {1, 2, 4}) EXPECT_GT((*sharp)[k], 0.7);
  EXPECT_FALSE(sharpnessOf(made().solution, *source, {1010, 9999}).ok());
}

TEST(Keyframes, SharpOnesNearTheEvenPlacesAreTaken) {
  const auto source = unsteady();
  const SharpnessOf sharpness = [&](const std::vector<int>& frames) { return sharpnessOf(made().solution, *source, frames); };
  const KeyframeOptions options{.most = 7, .step_deg = 0.5};
  const auto even = chooseKeyframes(made().solution, options), sharp = chooseKeyframes(made().solution, options, sharpness);
  ASSERT_TRUE(even.ok() && sharp.ok());
  EXPECT_EQ(even->size(), sharp->size());
  EXPECT_GE(blurredAmong(*even), 2);
  EXPECT_LE(blurredAmong(*sharp), 1) << "where the path goes fast there may be one frame alone";
  for (std::size_t k = 1; k < sharp->size(); ++k) {
    EXPECT_LT((*sharp)[k - 1].frame, (*sharp)[k].frame);
    EXPECT_LE(std::abs((*sharp)[k].frame - (*even)[k].frame), 3);
  }
}

TEST(Keyframes, EachIsThereOnceHoweverUnevenlyTheCameraGoes) {
  // At rest, then so fast that even places lie between frames: the sharpest of a place may stand nearest to the next.
  Solution solution = made().solution;
  const Vec3 from = solution.frames.front().pose.centre, to = solution.frames.back().pose.centre;
  for (std::size_t k = 0; k < solution.frames.size(); ++k) {
    const double share = k < 20 ? 0.002 * static_cast<double>(k) : 0.04 + 0.096 * static_cast<double>(k - 20);
    solution.frames[k].pose.centre = from + share * (to - from);
  }
  for (unsigned seed = 1; seed < 20; ++seed) {
    const SharpnessOf any = [seed](const std::vector<int>& frames) -> Result<std::vector<double>> {
      std::vector<double> sharp;
      for (const int frame : frames) sharp.push_back(std::sin(static_cast<double>(seed) * frame));
      return sharp;
    };
    const auto keys = chooseKeyframes(solution, {.step_deg = 0.3}, any);
    ASSERT_TRUE(keys.ok());
    for (std::size_t k = 1; k < keys->size(); ++k) ASSERT_LT((*keys)[k - 1].frame, (*keys)[k].frame) << seed;
  }
}

TEST(Keyframes, AnArtistsOwnAreTakenAndThoseWithoutACameraAreNamed) {
  Solution solution = made().solution;
  solution.frames[9].placed = false;  // 1010
  const std::vector<int> own = {1003, 1010, 1014, 1020, 1027};
  const auto keys = chooseKeyframes(solution, {.frames = own});
  ASSERT_TRUE(keys.ok()) << keys.error().message;
  std::vector<int> frames;
  for (const Keyframe& key : *keys) {
    frames.push_back(key.frame);
    EXPECT_FALSE(key.others.empty());
  }
  EXPECT_EQ(frames, (std::vector{1003, 1014, 1020, 1027}));
  EXPECT_THAT(chooseKeyframes(solution, {.frames = {1003, 1010, 1014}}).error().message, HasSubstr("at least 3 keyframes"));
  const auto dense = makeDense({solution, made().input().open_footage}, {.quality = DenseQuality::Fine, .keyframes = own}, {});
  ASSERT_TRUE(dense.ok()) << dense.error().message;
  EXPECT_EQ(dense->frames.size(), 4U);
  ASSERT_EQ(dense->warnings.size(), 1U);
  EXPECT_THAT(dense->warnings[0], HasSubstr("1010"));
}

}  // namespace
}  // namespace dusky::testing
