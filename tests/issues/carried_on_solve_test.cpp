// A solve that was carried on kept a readout that had been switched off, ignored a changed pixel aspect, read beyond its lenses when a camera had been
// added, and forgot which frames only rotate.
#include <gmock/gmock.h>
#include <gtest/gtest.h>

#include "core/solve/solve_shot.h"
#include "tests/support/synthetic_shot.h"

namespace dusky::testing {
using ::testing::SizeIs;

SyntheticPlan shortWalk() { return {.frames = 24, .points = 220, .noise_px = 0.2}; }

SolutionPtr solved(const SyntheticShot& shot, const SolveOptions& options, const SolutionPtr& from = nullptr) {
  const auto result = solveShot(shot.tracks, options, {}, {}, from);
  EXPECT_TRUE(result.ok()) << result.error().message;
  return result.ok() ? *result : nullptr;
}

TEST(CarriedOnSolve, AReadoutThatIsSwitchedOffIsOff) {
  SyntheticPlan plan = shortWalk();
  plan.readout = 0.4;
  const SyntheticShot shot = makeSyntheticShot(plan);
  const SolutionPtr first = solved(shot, {.readout = 0.4});
  ASSERT_TRUE(first);
  ASSERT_EQ(first->readout, 0.4);
  const SolutionPtr off = solved(shot, {.auto_readout = false}, first), other = solved(shot, {.readout = 0.2}, first);
  ASSERT_TRUE(off && other);
  EXPECT_EQ(off->readout, 0);
  EXPECT_EQ(other->readout, 0.2);
}

TEST(CarriedOnSolve, TheAskedPixelAspectHolds) {
  const SyntheticShot shot = makeSyntheticShot(shortWalk());
  const SolutionPtr first = solved(shot, {});
  ASSERT_TRUE(first);
  const SolutionPtr wider = solved(shot, {.pixel_aspect = 1.02}, first);
  ASSERT_TRUE(wider);
  EXPECT_EQ(wider->lens().pixel_aspect, 1.02);
}

TEST(CarriedOnSolve, ACameraThatCameToItGetsALens) {
  const SyntheticShot shot = makeSyntheticShot(shortWalk());
  const SolutionPtr first = solved(shot, {});
  ASSERT_TRUE(first);
  SolveOptions two;
  for (int f = 0; f < 24; ++f) two.camera_of.push_back(f < 12 ? 0 : 1);
  const SolutionPtr both = solved(shot, two, first);
  ASSERT_TRUE(both);
  ASSERT_THAT(both->cameras, SizeIs(2));
  for (const SolvedCamera& camera : both->cameras) EXPECT_NEAR(camera.lens.focal_px, 1100, 15);
  EXPECT_LT(both->rms_px, 0.4);
  const SolutionPtr one_again = solved(shot, {}, both);
  ASSERT_TRUE(one_again);
  EXPECT_THAT(one_again->cameras, SizeIs(1));
}

TEST(CarriedOnSolve, FramesThatOnlyRotateStayHeld) {
  const SyntheticShot shot = makeSyntheticShot(rotatingFrom(40, 20));
  auto first = std::make_shared<Solution>(*solved(shot, {.motion = CameraMotion::Free}));
  ASSERT_EQ(first->placedFrames(), 40);
  first->stretches = {{24, 40}};
  const SolutionPtr again = solved(shot, {.motion = CameraMotion::Free}, first);
  ASSERT_TRUE(again);
  ASSERT_THAT(again->stretches, SizeIs(1));
  EXPECT_EQ(again->stretches[0].first, 24);
  const auto apart = [](const Solution& s) { return (s.frameAt(40)->pose.centre - s.frameAt(24)->pose.centre).norm(); };
  EXPECT_LT(apart(*again), 1e-3);
}

}  // namespace dusky::testing
