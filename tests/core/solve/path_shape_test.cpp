// Lines and planes that a path lies on, and work that is stopped half way.
#include <gmock/gmock.h>
#include <gtest/gtest.h>

#include <atomic>
#include <thread>

#include "core/base/random.h"
#include "core/solve/path_shape.h"
#include "core/solve/solve_shot.h"
#include "tests/support/synthetic_shot.h"

namespace dusky::testing {

/// Sixty cameras on a path, their places off by `noise` along each axis and known to `sigma`.
Solution pathOf(const std::function<Vec3(double)>& path, double noise, double sigma) {
  Random random(8);
  Solution solution;
  for (int i = 0; i < 60; ++i) {
    SolvedFrame frame{.frame = i + 1, .placed = true, .why_not = {}};
    frame.pose.centre = path(i) + noise * Vec3(random.normal(), random.normal(), random.normal());
    frame.sigma_centre = sigma;
    solution.frames.push_back(frame);
  }
  return solution;
}

Vec3 straight(double t) { return {0.1 * t, 0.02 * t, -0.05 * t}; }
Vec3 bentInAPlane(double t) { return {0.1 * t, 1.6, std::sin(0.08 * t)}; }
Vec3 byHand(double t) { return {0.1 * t, 1.6 + 0.05 * std::sin(0.9 * t), 0.05 * std::cos(0.7 * t)}; }

TEST(PathShape, SaysHowFarFromALineAndAPlaneInDeviations) {
  const PathShape line = pathShape(pathOf(straight, 0.01, 0.01));
  EXPECT_NEAR(line.off_line, 1, 0.25);
  EXPECT_NEAR(line.off_plane, 1, 0.35);
  EXPECT_GT(line.length, 100);
  const PathShape bent = pathShape(pathOf(bentInAPlane, 0.001, 0.001));
  EXPECT_GT(bent.off_line, 50);
  EXPECT_NEAR(bent.off_plane, 1, 0.35);
  EXPECT_TRUE(std::isnan(pathShape(pathOf(straight, 0, kUnknown)).off_line)) << "nothing is known";
}

TEST(PathShape, ALineAPlaneOrNeitherIsChosenOnlyWhereThePathIsLongAgainstItsErrors) {
  EXPECT_EQ(plainerMotion(pathShape(pathOf(straight, 0.002, 0.002))), CameraMotion::Rail);
  EXPECT_EQ(plainerMotion(pathShape(pathOf(bentInAPlane, 0.002, 0.002))), CameraMotion::Flat);
  EXPECT_EQ(plainerMotion(pathShape(pathOf(byHand, 0.002, 0.002))), CameraMotion::Free);
  EXPECT_EQ(plainerMotion(pathShape(pathOf(straight, 0.3, 0.3))), CameraMotion::Free) << "anything would fit";
  EXPECT_EQ(plainerMotion({}), CameraMotion::Free);
}

TEST(ShapedPath, KeepsItsLengthAndHolds) {
  // A path that is bowed by 3 % of its length: held to a line it must leave it, and not shrink until nothing is off any more.
  SyntheticPlan plan{.frames = 40, .points = 260, .noise_px = 0.15, .life = 30, .seed = 3};
  plan.path = bowedPath(plan.frames);
  const SyntheticShot shot = makeSyntheticShot(plan);
  const auto solved = solveShot(shot.tracks, {.motion = CameraMotion::Rail}, {});
  ASSERT_TRUE(solved.ok()) << solved.error().message;
  const Vec3 first = (*solved)->frames.front().pose.centre, last = (*solved)->frames.back().pose.centre, along = (last - first).normalized();
  double off = 0;
  for (const SolvedFrame& frame : (*solved)->frames) off = std::max(off, (frame.pose.centre - first).cross(along).norm());
  EXPECT_LT(off, 1e-3 * (last - first).norm());
  EXPECT_GT((*solved)->rms_px, 0.35) << "what the line cannot show stays in the errors";
}

TEST(StoppedSolve, EndsAsCancelledWheneverItIsAsked) {
  SyntheticPlan plan{.frames = 60, .points = 300, .noise_px = 0.2, .life = 25};
  const SyntheticShot shot = makeSyntheticShot(plan);
  const Stopwatch watch;
  ASSERT_TRUE(solveShot(shot.tracks, {}, {}).ok());
  const double all = watch.seconds();
  int cancelled_runs = 0;
  for (const double share : {0.05, 0.2, 0.35, 0.5, 0.65, 0.8, 0.92}) {
    std::stop_source stop;
    const Progress progress([](const ProgressState&) {}, stop.get_token());
    std::optional<Result<SolutionPtr>> result;
    {
      std::jthread work([&] { result = solveShot(shot.tracks, {}, progress); });
      std::this_thread::sleep_for(std::chrono::duration<double>(share * all));
      stop.request_stop();
    }
    ASSERT_TRUE(result.has_value());
    if (result->ok()) continue;  // it was done already
    EXPECT_EQ(result->error().kind, ErrorKind::Cancelled) << result->error().message;
    ++cancelled_runs;
  }
  EXPECT_GE(cancelled_runs, 3);
}

TEST(StoppedSolve, ASilentProgressStopsWithItsParentAndSaysNothing) {
  std::stop_source stop;
  int heard = 0;
  const Progress loud([&](const ProgressState&) { ++heard; }, stop.get_token());
  const Progress silent = loud.silent();
  silent.report(0.5, "quietly");
  EXPECT_EQ(heard, 0);
  loud.report(0.5, "aloud");
  EXPECT_EQ(heard, 1);
  EXPECT_FALSE(silent.stopRequested());
  stop.request_stop();
  EXPECT_TRUE(silent.stopRequested());
}

}  // namespace dusky::testing
