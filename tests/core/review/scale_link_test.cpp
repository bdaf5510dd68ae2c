// What a covariance does not see: a path that falls into two parts of any size, and a set too flat to tell a zoom from a dolly.
#include "core/review/scale_link.h"

#include <gmock/gmock.h>
#include <gtest/gtest.h>

#include <cmath>

#include "core/base/random.h"
#include "core/review/reviewed_solve.h"
#include "core/review/verdict.h"
#include "core/solve/flat_set.h"
#include "core/solve/warm_start.h"
#include "tests/support/judge_by_truth.h"
#include "tests/support/synthetic_shot.h"

namespace dusky::testing {

using ::testing::Contains;

/// A walk that halts for so many frames in its middle, seen by tracks of so short lives.
SyntheticPlan haltingWalk(int halts, int life) {
  SyntheticPlan plan{.frames = 60 + halts, .points = 40 * (60 + halts) / life * 4, .noise_px = 0.1, .life = life, .seed = 12};
  plan.path = [halts](int i) { return walkingOn(i < 30 ? i : i < 30 + halts ? 30 : i - halts, 0.08); };
  return plan;
}

TEST(ScaleLink, BreaksWhereTheCameraStandsForLongerThanTracksLive) {
  const ScaleLink walks = weakestScaleLink(reconstructionAtTruth(makeSyntheticShot(haltingWalk(0, 16))), 0.1);
  EXPECT_LT(walks.sigma_share, 0.03);
  const ScaleLink halts = weakestScaleLink(reconstructionAtTruth(makeSyntheticShot(haltingWalk(40, 16))), 0.1);
  EXPECT_GT(halts.sigma_share, 0.3);
  EXPECT_GE(halts.frame, 29);
  EXPECT_LE(halts.frame, 70);
  const ScaleLink outlived = weakestScaleLink(reconstructionAtTruth(makeSyntheticShot(haltingWalk(10, 40))), 0.1);
  EXPECT_LT(outlived.sigma_share, 0.03) << "tracks that outlive the halt carry the scale over it";
}

TEST(ScaleLink, IsUnknownForAHandfulOfFrames) {
  EXPECT_TRUE(std::isnan(weakestScaleLink(reconstructionAtTruth(makeSyntheticShot({.frames = 8, .points = 60})), 0.1).sigma_share));
  EXPECT_TRUE(std::isnan(weakestScaleLink(Reconstruction{}, 0.1).sigma_share));
}

std::vector<std::string> causesOf(const Solution& solution) {
  std::vector<std::string> what;
  for (const Cause& cause : judgeSolution(solution).causes) what.push_back(cause.what);
  return what;
}

TEST(ScaleLink, ASolveThatFallsApartSaysSo) {
  const auto solved = reviewedSolve(makeSyntheticShot(haltingWalk(40, 16)).tracks, {}, {});
  ASSERT_TRUE(solved.ok()) << solved.error().message;
  EXPECT_THAT(causesOf(**solved), Contains("scale break"));
  const auto whole = reviewedSolve(makeSyntheticShot(haltingWalk(0, 16)).tracks, {}, {});
  ASSERT_TRUE(whole.ok()) << whole.error().message;
  EXPECT_THAT(causesOf(**whole), ::testing::Not(Contains("scale break")));
}

SyntheticPlan beforeAWall(double bumps) {
  SyntheticPlan plan{.frames = 40, .points = 220, .noise_px = 0.1, .seed = 7};
  auto random = std::make_shared<Random>(8);
  plan.set = [random, bumps](const Vec3& from, const Vec3& ray) -> std::optional<Vec3> {
    if (ray.z() > -0.05) return std::nullopt;
    return Vec3(from + (-5 - from.z()) / ray.z() * ray + bumps * random->normal() * Vec3::UnitZ());
  };
  plan.path = [](int i) { return Pose{walkingOn(i, 0.001).world_from_camera, Vec3(0.02 * i, 1.5, -0.015 * i)}; };
  return plan;
}

TEST(FlatSet, IsToldByItsPoints) {
  EXPECT_LT(flatness(reconstructionAtTruth(makeSyntheticShot(beforeAWall(0)))), 0.001);
  EXPECT_NEAR(flatness(reconstructionAtTruth(makeSyntheticShot(beforeAWall(0.3)))), 0.67 * 0.3 / 2, 0.06);
  EXPECT_GT(flatness(reconstructionAtTruth(makeSyntheticShot({.frames = 20, .points = 150}))), 0.1);
  Reconstruction far = reconstructionAtTruth(makeSyntheticShot({.frames = 20, .points = 150}));
  for (auto& pose : far.poses) pose->centre -= 300 * (pose->world_from_camera * Vec3::UnitZ());
  EXPECT_LT(flatness(far), 0.02) << "from so far everything looks flat";
  EXPECT_TRUE(std::isnan(flatness(reconstructionAtTruth(makeSyntheticShot({.frames = 4, .points = 12})))));
}

TEST(FlatSet, IsFreedToSeeWhatItHoldsUnlessTheFocalLengthIsKnown) {
  const SyntheticShot shot = makeSyntheticShot(beforeAWall(0));
  const auto unknown = reviewedSolve(shot.tracks, {}, {});
  ASSERT_TRUE(unknown.ok()) << unknown.error().message;
  const double freed_px = (*unknown)->evidence.freed_slip_px;
  ASSERT_FALSE(std::isnan(freed_px));
  const auto truth = judgeByTruth(shot, **unknown);
  ASSERT_TRUE(truth.ok());
  EXPECT_EQ(freed_px < 0.6, truth->slip_rms_px < 1) << "an insert moves when it is freed only where the camera is wrong: " << freed_px;
  EXPECT_EQ(std::ranges::count(causesOf(**unknown), "flat set"), freed_px < 0.6 ? 0 : 1);
  const auto known = reviewedSolve(shot.tracks, {.focal = FocalKnowledge::Near, .focal_px = 1100}, {});
  ASSERT_TRUE(known.ok()) << known.error().message;
  EXPECT_TRUE(std::isnan((*known)->evidence.freed_slip_px));
  EXPECT_THAT(causesOf(**known), ::testing::Not(Contains("flat set")));
}

}  // namespace dusky::testing
