// Made-up shots of other motion than the demo's, from pictures to report, judged by their exact truth. Tolerances are about twice what docs/accuracy.md
// measured over several noise seeds.
#include <gmock/gmock.h>
#include <gtest/gtest.h>

#include "core/solve/solve_shot.h"
#include "core/pipeline/steps.h"
#include "tests/support/judge_by_truth.h"

namespace dusky::testing {

struct Solved {
  SolutionPtr solution;
  Comparison comparison;
};

/// Tracks, solves, reports and compares, as the command line does.
void solveAndCompare(const ShotPlan& plan, Solved& out) {
  MadeShot shot(plan);
  const auto tracks = followFeatures(shot, {}, {});
  ASSERT_TRUE(tracks.ok()) << tracks.error().message;
  const auto solved = solveShot(**tracks, {}, {});
  ASSERT_TRUE(solved.ok()) << solved.error().message;
  const auto compared = judgeByTruth(shot, **solved);
  ASSERT_TRUE(compared.ok()) << compared.error().message;
  out = {*solved, *compared};
}

void expectGoodCamera(const Solved& solved, int frames, double slip_px) {
  EXPECT_EQ(solved.comparison.frames_solved, frames);
  EXPECT_LT(solved.comparison.slip_rms_px, slip_px);
  EXPECT_LT(solved.comparison.focal_error_share, 0.01) << solved.solution->motion_why << " likely slip " << solved.solution->evidence.slip_sigma_px;
  EXPECT_LT(solved.solution->rms_px, 0.5);
  EXPECT_LT(solved.solution->holdout_rms_px, 1.3 * solved.solution->rms_px);
}

TEST(MotionsScenario, StraightAhead) {
  ShotPlan plan = planShot(ShotKind::Dolly);
  plan.frames = 40;
  Solved solved;
  solveAndCompare(plan, solved);
  if (!HasFatalFailure()) expectGoodCamera(solved, 40, 0.5);
}

TEST(MotionsScenario, RoundTheSet) {
  ShotPlan plan = planShot(ShotKind::Orbit);
  plan.frames = 40;
  Solved solved;
  solveAndCompare(plan, solved);
  if (!HasFatalFailure()) expectGoodCamera(solved, 40, 0.25);
}

TEST(MotionsScenario, OverAPlaneThroughAStrongLens) {
  ShotPlan plan = planShot(ShotKind::Planar);
  plan.frames = 30;
  plan.first_frame = 1001;
  plan.lens.k1() = -0.22;
  plan.lens.k2() = 0.06;
  Solved solved;
  solveAndCompare(plan, solved);
  if (!HasFatalFailure()) expectGoodCamera(solved, 30, 0.3);
}

TEST(MotionsScenario, PastAnActorWhoIsSetAside) {
  ShotPlan plan = planShot(ShotKind::Moving);
  plan.frames = 40;
  Solved solved;
  solveAndCompare(plan, solved);
  if (HasFatalFailure()) return;
  expectGoodCamera(solved, 40, 0.3);
  // The actor walks through the lower left; tracks on him must not be among the kept ones for long.
  MadeShot shot(plan);
  const Box& actor = plan.boxes.back();
  int kept = 0, on_actor = 0;
  for (const SolvedTrack& track : solved.solution->tracks) {
    if (track.state != TrackState::Kept) continue;
    ++kept;
    int inside = 0;
    for (const TrackError& e : track.errors) {
      const int f = e.frame - 1;
      const Vec3 at = shot.truth().poses[f].toCamera(actor.centre + f * actor.velocity);
      const Vec2 middle = shot.truth().lenses[f].distort(at.hnormalized());
      const double reach = 0.25 * shot.truth().lenses[f].focal_px / at.z();
      inside += e.used && (e.reprojected - middle).lpNorm<Eigen::Infinity>() < reach;
    }
    on_actor += inside > 0.8 * track.life;
  }
  EXPECT_GT(kept, 400);
  EXPECT_LT(on_actor, 0.02 * kept);
}

}  // namespace dusky::testing
