#include "core/solve/frames_again.h"

#include <gtest/gtest.h>

#include "core/base/progress.h"
#include "core/solve/sort_out.h"
#include "tests/support/synthetic_shot.h"

namespace dusky::testing {
namespace {

/// A shot at its truth, a fifth of its tracks wandering, with the last frames looking elsewhere.
struct Astray {
  SyntheticShot shot;
  SolveState state;
  Reconstruction truth;

  explicit Astray(int frames_astray) : shot(makeSyntheticShot({.frames = 40, .points = 700, .noise_px = 0.2, .outlier_share = 0.2, .life = 14})) {
    state.work = reconstructionAtTruth(shot);
    state.freedom[0] = state.freedom[kFirstCoefficient] = true;
    state.lens_settled = true;
    settle(state, task(), 3, {});
    truth = state.work;
    for (int f = shot.plan.frames - frames_astray; f < shot.plan.frames; ++f) {
      Pose& pose = *state.work.poses[static_cast<std::size_t>(f)];
      pose.world_from_camera = pose.world_from_camera * rotationFromVector(Vec3(0.02, 0.12, 0));
    }
    sortOutNow(state);
  }
  SolveTask task() const { return {shot.tracks, options, progress}; }

  SolveOptions options;
  Progress progress;
};

TEST(FramesAgain, FramesThatLookElsewhereAreTold) {
  const Astray astray(5);
  EXPECT_EQ(framesHardlyExplained(astray.state.work), (std::vector<int>{35, 36, 37, 38, 39}));
}

TEST(FramesAgain, ThoseComeBackToWhereTheOthersHaveThem) {
  const Astray astray(5);
  ASSERT_GT(slipBetween(astray.truth, astray.state.work), 20);
  const auto again = withFramesAgain(astray.state, astray.task(), FramesAgain::HardlyExplained);
  ASSERT_TRUE(again);
  EXPECT_EQ(again->work.placedFrames(), astray.shot.plan.frames);
  EXPECT_LT(slipBetween(astray.truth, again->work), 0.3);
  EXPECT_TRUE(framesHardlyExplained(again->work).empty());
}

TEST(FramesAgain, WhatLiesBeyondABreakGoesWithIt) {
  Reconstruction work;
  work.poses.resize(10);
  EXPECT_EQ(withWhatLiesBeyond(work, {6, 7}), (std::vector<int>{6, 7, 8, 9})) << "the shorter side";
  EXPECT_EQ(withWhatLiesBeyond(work, {2, 3, 8}), (std::vector<int>{0, 1, 2, 3, 8})) << "of the longest run";
  EXPECT_TRUE(withWhatLiesBeyond(work, {7, 8, 9}).empty()) << "nothing lies beyond the end";
  EXPECT_TRUE(withWhatLiesBeyond(work, {}).empty());
}

TEST(FramesAgain, WhatWandersInEveryFrameIsNoReason) {
  const Astray astray(0);
  EXPECT_TRUE(framesHardlyExplained(astray.state.work).empty());
  EXPECT_FALSE(withFramesAgain(astray.state, astray.task(), FramesAgain::HardlyExplained));
}

TEST(FramesAgain, NothingIsSaidOfFramesThatHaveNoCamera) {
  Astray astray(0);
  for (auto& pose : astray.state.work.poses) pose.reset();
  EXPECT_TRUE(framesHardlyExplained(astray.state.work).empty());
}

}  // namespace
}  // namespace dusky::testing
