// A sweep solved another problem than the solve it began from: one lens for all cameras, no ties between a zoom's frames, nothing of what was believed or
// held. At the value that the solve had found it had another error, or its valley lay elsewhere.
#include <gmock/gmock.h>
#include <gtest/gtest.h>

#include "core/solve/solve_shot.h"
#include "core/review/sweep.h"
#include "core/solve/warm_start.h"
#include "tests/support/synthetic_shot.h"

namespace dusky::testing {

/// The sweep of a parameter about what a solve found, and the error that it has there.
struct Swept {
  SolutionPtr solution;
  SweepResult result;
  double error_there = kUnknown;
};

Swept sweptAround(const SyntheticShot& shot, const SolveOptions& options, const std::string& parameter, int index, double reach) {
  Swept swept;
  const auto solved = solveShot(shot.tracks, options, {});
  EXPECT_TRUE(solved.ok()) << solved.error().message;
  if (!solved.ok()) return swept;
  swept.solution = *solved;
  const double value = swept.solution->lens().parameters()[static_cast<std::size_t>(index)];
  const SweepOptions asked{.first = {parameter, value - reach, value + reach, 9}, .refine = false};
  const auto result = sweep(shot.tracks, options, *swept.solution, asked, {});
  EXPECT_TRUE(result.ok()) << result.error().message;
  if (!result.ok()) return swept;
  swept.result = *result;
  swept.error_there = result->points[4].rms_px;
  return swept;
}

SyntheticPlan shortWalk() { return {.frames = 30, .points = 240, .noise_px = 0.2}; }

TEST(SweepOfTheSolve, LooksThroughTheLensOfEachCamera) {
  SyntheticPlan plan = shortWalk();
  plan.focal_px = [](int index) { return index < 15 ? 1100.0 : 1000.0; };
  SolveOptions two;
  for (int f = 0; f < plan.frames; ++f) two.camera_of.push_back(f < 15 ? 0 : 1);
  const Swept swept = sweptAround(makeSyntheticShot(plan), two, "cx_px", 1, 20);
  ASSERT_TRUE(swept.solution);
  EXPECT_NEAR(swept.solution->cameras[1].lens.focal_px, 1000, 15);
  EXPECT_NEAR(swept.error_there, swept.solution->rms_px, 0.02 * swept.solution->rms_px);
}

TEST(SweepOfTheSolve, KeepsTheTiesOfAZoom) {
  SyntheticPlan plan = shortWalk();
  plan.focal_px = [](int index) { return 1000 * std::pow(1.3, index / 29.0); };
  const Swept swept = sweptAround(makeSyntheticShot(plan), {.focal = FocalKnowledge::Zoom}, "k1", 3, 0.05);
  ASSERT_TRUE(swept.solution);
  EXPECT_NEAR(swept.error_there, swept.solution->rms_px, 1e-3 * swept.solution->rms_px);
}

TEST(SweepOfTheSolve, KeepsTheCameraOnItsRail) {
  SyntheticPlan plan = shortWalk();
  plan.path = [](int i) {
    return Pose{(rotationFromVector(Vec3(0.02 * std::sin(0.5 * i), -0.012 * i, 0)) * Eigen::Quaterniond(0, 1, 0, 0)).normalized(),
                Vec3(0.1 * i, 1.6 + 0.003 * std::sin(0.4 * i), 0)};
  };
  const Swept swept = sweptAround(makeSyntheticShot(plan), {.motion = CameraMotion::Rail}, "focal_px", 0, 40);
  ASSERT_TRUE(swept.solution);
  ASSERT_EQ(swept.solution->motion, MotionKind::Rail);
  EXPECT_NEAR(swept.error_there, swept.solution->rms_px, 5e-3 * swept.solution->rms_px) << "a free path explains the bob; a rail does not";
}

TEST(SweepOfTheSolve, BelievesWhatTheArtistSaidOfTheFocalLength) {
  const SyntheticShot shot = makeSyntheticShot(shortWalk());
  // A firm belief in a focal length that the tracks do not bear out: the axis gives way.
  const SolveOptions firm{.focal = FocalKnowledge::Near, .focal_px = 1000, .focal_tolerance = 1e-4};
  const Swept swept = sweptAround(shot, firm, "k1", 3, 0.05);
  ASSERT_TRUE(swept.solution);
  ASSERT_NEAR(swept.solution->lens().focal_px, 1000, 2);
  EXPECT_NEAR(swept.error_there, swept.solution->rms_px, 5e-3 * swept.solution->rms_px);
}

TEST(SweepOfTheSolve, HoldsFramesThatOnlyRotate) {
  const SyntheticShot shot = makeSyntheticShot(rotatingFrom(40, 20));
  Solution solution = perfectSolution(shot);
  solution.stretches = {{24, 40}};
  const SolveState state = finalState(solution, shot.tracks, {});
  EXPECT_EQ(state.held.size(), 17u);
  const auto holds = [](const CameraTie& tie) { return tie.centre > 0; };
  EXPECT_GE(std::count_if(state.work.ties.begin(), state.work.ties.end(), holds), 17);
}

}  // namespace dusky::testing
