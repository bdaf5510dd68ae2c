#include "core/solve/remeasure.h"

#include <gtest/gtest.h>

#include "core/review/reviewed_solve.h"
#include "core/review/solve_difference.h"
#include "tests/support/synthetic_shot.h"

namespace dusky::testing {

Solution solved(const SyntheticShot& shot, SolveOptions options = {}) {
  const auto result = reviewedSolve(shot.tracks, options, {});
  EXPECT_TRUE(result.ok());
  return result.ok() ? **result : Solution();
}

/// Forgets what follows from cameras, points and tracks, and finds it again.
void expectFoundAgain(const Solution& solution, const SyntheticShot& shot) {
  Solution again = solution;
  for (SolvedTrack& track : again.tracks) {
    for (TrackError& error : track.errors) error = {.used = error.used};
  }
  ASSERT_TRUE(remeasure(again, shot.tracks).ok());
  int known = 0;
  for (std::size_t t = 0; t < solution.tracks.size(); ++t) {
    for (std::size_t i = 0; i < solution.tracks[t].errors.size(); ++i) {
      const TrackError &was = solution.tracks[t].errors[i], &is = again.tracks[t].errors[i];
      ASSERT_EQ(was.frame, is.frame);
      ASSERT_EQ(std::isnan(was.error_px), std::isnan(is.error_px)) << "track " << t;
      if (std::isnan(was.error_px)) continue;
      ASSERT_NEAR(was.error_px, is.error_px, 1e-6) << "track " << t << ", frame " << was.frame;
      ASSERT_LT((was.reprojected - is.reprojected).norm(), 1e-6);
      ++known;
    }
  }
  EXPECT_GT(known, 500);
}

TEST(Remeasure, FindsTheErrorsOfEveryKindOfSolveAgain) {
  const SyntheticPlan walk{.frames = 24, .points = 120, .noise_px = 0.3, .outlier_share = 0.05, .life = 14};
  SyntheticPlan zoom = walk, rolling = walk, turning = rotatingFrom(24, 12), tripod = walk;
  zoom.focal_px = [](int i) { return 1100 + 12.0 * i; };
  rolling.readout = 0.6;
  turning.noise_px = 0.3;
  tripod.step = 0;
  for (const SyntheticPlan& plan : {walk, zoom, rolling, turning, tripod}) {
    const SyntheticShot shot = makeSyntheticShot(plan);
    SolveOptions options;
    options.readout = plan.readout;
    if (plan.focal_px) options.focal = FocalKnowledge::Zoom;
    expectFoundAgain(solved(shot, options), shot);
  }
}

TEST(Remeasure, RefusesOtherTracks) {
  SyntheticShot shot = makeSyntheticShot({.frames = 10, .points = 60});
  Solution solution = perfectSolution(shot);
  shot.tracks.tracks[4].observations.pop_back();
  EXPECT_FALSE(remeasure(solution, shot.tracks).ok());
  shot.tracks.tracks.pop_back();
  EXPECT_FALSE(remeasure(solution, shot.tracks).ok());
}

TEST(SolveDifference, IsNothingBetweenASolveAndItselfInAnotherWorld) {
  const SyntheticShot shot = makeSyntheticShot({.frames = 16, .points = 80, .noise_px = 0.2});
  const Solution a = perfectSolution(shot);
  Solution b = a;
  const Similarity moved{2.5, Eigen::Quaterniond(Eigen::AngleAxisd(0.7, Vec3(1, 2, 3).normalized())), Vec3(4, -1, 9)};
  for (SolvedFrame& frame : b.frames) frame.pose = moved * frame.pose;
  for (SolvedTrack& track : b.tracks) track.point = moved * track.point;
  const auto difference = differenceOf(a, shot.tracks, b, true);
  ASSERT_TRUE(difference.ok()) << difference.error().message;
  ASSERT_EQ(difference->frames.size(), 16u);
  for (const auto& frame : difference->frames) {
    EXPECT_LT(frame.centre, 1e-9);
    EXPECT_LT(frame.rotation_rad, 1e-7);
    EXPECT_EQ(frame.focal_px, 0);
  }
  EXPECT_LT(difference->points.front().distance, 1e-9);
  EXPECT_LT(difference->slip_px, 1e-3);
}

TEST(SolveDifference, SaysWhatMovedAndByHowMuch) {
  const SyntheticShot shot = makeSyntheticShot({.frames = 16, .points = 80});
  const Solution a = perfectSolution(shot);
  Solution b = a;
  b.frames[7].pose.centre += Vec3(0, 0.02, 0);
  b.tracks[5].point += Vec3(0, 0, 0.5);
  b.cameras[0].lens.focal_px += 10;
  const auto difference = differenceOf(a, shot.tracks, b, true);
  ASSERT_TRUE(difference.ok());
  EXPECT_NEAR(difference->frames[7].centre, 0.02, 0.004) << "the others take up a little of it";
  EXPECT_LT(difference->frames[3].centre, 0.004);
  EXPECT_EQ(difference->points.front().id, b.tracks[5].id);
  EXPECT_NEAR(difference->points.front().distance, 0.5, 0.02);
  EXPECT_NEAR(difference->frames[0].focal_px, 10, 1e-9);
  EXPECT_GT(difference->slip_px, 0.5);
  b.frames.resize(0);
  EXPECT_FALSE(differenceOf(a, shot.tracks, b, true).ok());
}

}  // namespace dusky::testing
