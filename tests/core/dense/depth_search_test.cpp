#include "core/dense/depth_search.h"

#include <gtest/gtest.h>

#include "core/base/thread_limit.h"
#include "core/dense/dense_view.h"
#include "tests/support/true_depth.h"

namespace dusky::testing {

/// A keyframe in the middle of a shot, four frames about it, and its true depth.
struct Views {
  Views() : shot(plan()), truth(trueDepth(shot, kMiddle)) {
    for (const int index : {kMiddle, kMiddle - 2, kMiddle + 2, kMiddle - 4, kMiddle + 4}) views.push_back(straightView(shot, index));
    for (std::size_t k = 1; k < views.size(); ++k) neighbours.push_back(&views[k]);
  }
  static ShotPlan plan() {
    ShotPlan plan = planShot(ShotKind::Free);
    plan.width = 640, plan.height = 360, plan.frames = 13, plan.samples = 2, plan.noise = 1;
    plan.lens = Lens::simple(640, 360, 560);
    return plan;
  }
  static constexpr int kMiddle = 6;
  MadeShot shot;
  TrueDepth truth;
  std::vector<std::vector<MatchPicture>> views;
  std::vector<const std::vector<MatchPicture>*> neighbours;
};

class DepthSearch : public ::testing::Test {
 protected:
  static void SetUpTestSuite() { all = std::make_unique<Views>(); }
  static void TearDownTestSuite() { all.reset(); }
  static DepthMap search() { return searchDepth(all->views.front(), all->neighbours, all->truth.range(), {.noise = 1}, {}); }
  static std::unique_ptr<Views> all;
  const TrueDepth& truth = all->truth;
};
std::unique_ptr<Views> DepthSearch::all;

TEST_F(DepthSearch, NearlyAllPixelsOfATexturedSetLieWithinAHundredth) {
  const DepthErrors errors = truth.errorsOf(search().depth);
  EXPECT_GT(errors.within_1_percent, 0.93);
  EXPECT_LT(errors.median, 0.0012);
}

TEST_F(DepthSearch, HowSureItIsIsWhatTheErrorsAre) {
  const DepthMap map = search();
  std::vector<double> ratios;
  for (std::size_t i = 0; i < map.depth.data.size(); ++i) {
    if (truth.depth.data[i] > 0) ratios.push_back(static_cast<double>(std::abs(map.depth.data[i] - truth.depth.data[i]) / map.sigma.data[i]));
  }
  std::nth_element(ratios.begin(), ratios.begin() + static_cast<std::ptrdiff_t>(ratios.size() / 2), ratios.end());
  // Of Gauss 0.67; edges and what is hidden are no noise.
  EXPECT_GT(ratios[ratios.size() / 2], 0.4);
  EXPECT_LT(ratios[ratios.size() / 2], 1.1);
}

TEST_F(DepthSearch, NormalsFaceAsTheSetDoes) {
  const DepthMap map = search();
  // The wall behind everything faces +z.
  const Pinhole& camera = map.camera;
  int seen = 0, right = 0;
  for (int y = 0; y < 360; y += 3) {
    for (int x = 0; x < 640; x += 3) {
      const Vec3 place = camera.place({x + 0.5, y + 0.5}, static_cast<double>(truth.depth.at(x, y)));
      if (truth.depth.at(x, y) <= 0 || std::abs(place.z() + 9) > 0.01) continue;
      const auto& n = map.normal.at(x, y);
      ++seen, right += camera.pose.direction(Vec3(n[0], n[1], n[2])).z() > std::cos(0.35);
    }
  }
  ASSERT_GT(seen, 100);
  EXPECT_GT(right, 0.8 * seen);
}

TEST_F(DepthSearch, WhatIsMaskedHasNoDepthAndTakesNoPart) {
  std::vector<MatchPicture> masked = all->views.front();
  masked.front().usable = Plane<std::uint8_t>(640, 360, 1);
  for (int y = 80; y < 160; ++y) std::fill(masked.front().usable.row(y) + 200, masked.front().usable.row(y) + 320, std::uint8_t{0});
  const DepthMap map = searchDepth(masked, all->neighbours, truth.range(), {.noise = 1}, {});
  for (int y = 80; y < 160; ++y) {
    for (int x = 200; x < 320; ++x) ASSERT_EQ(map.depth.at(x, y), 0);
  }
  EXPECT_GT(truth.errorsOf(map.depth).within_1_percent, 0.93) << "the rest is as it was";
}

TEST_F(DepthSearch, ANeighbourThatIsHalvedLessOftenIsStillCompared) {
  std::vector<MatchPicture> few(all->views[1].begin(), all->views[1].end() - 1);
  std::vector<const std::vector<MatchPicture>*> neighbours = all->neighbours;
  neighbours.front() = &few;
  const DepthMap map = searchDepth(all->views.front(), neighbours, truth.range(), {.noise = 1}, {});
  EXPECT_GT(truth.errorsOf(map.depth).within_1_percent, 0.9);
}

TEST_F(DepthSearch, ItIsTheSameWithOneThread) {
  const DepthMap many = search();
  const ThreadLimit limit(1);
  const DepthMap one = search();
  EXPECT_EQ(many.depth.data, one.depth.data);
  EXPECT_EQ(many.sigma.data, one.sigma.data);
}

TEST(NoiseOfAPicture, IsFoundUnderTexture) {
  for (const double noise : {1.5, 4.0}) {
    ShotPlan plan = planShot(ShotKind::Free);
    plan.width = 320, plan.height = 180, plan.frames = 1, plan.samples = 2, plan.noise = noise, plan.lens = Lens::simple(320, 180, 280);
    MadeShot shot(plan);
    const float found = noiseOf(shot.read(plan.first_frame, FrameUse::Tracking)->luma);
    EXPECT_GT(found, 0.8 * noise);
    EXPECT_LT(found, 1.6 * noise) << "texture looks a little like noise";
  }
}

}  // namespace dusky::testing
