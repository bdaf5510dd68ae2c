// Shots longer than the keyframes a solve begins with, and what is known of a lens before it: on tracks without pictures.
#include <gmock/gmock.h>
#include <gtest/gtest.h>

#include "core/solve/extend.h"
#include "core/solve/solve_shot.h"
#include "core/adjust/uncertainty.h"
#include "tests/support/judge_by_truth.h"

namespace dusky::testing {
using ::testing::HasSubstr;

SyntheticPlan longWalk(int frames) {
  SyntheticPlan plan{.frames = frames, .points = 5 * frames, .noise_px = 0.3, .life = 30};
  plan.lens.k1() = -0.06;
  plan.path = [](int index) { return walkingOn(index, 0.07); };
  return plan;
}

TEST(LongShots, EveryFrameOfALongWalkGetsItsCamera) {
  const SyntheticShot shot = makeSyntheticShot(longWalk(420));
  const auto solved = solveShot(shot.tracks, {}, {});
  ASSERT_TRUE(solved.ok()) << solved.error().message;
  EXPECT_EQ((*solved)->placedFrames(), 420);
  const auto truth = judgeByTruth(shot, **solved);
  ASSERT_TRUE(truth.ok()) << truth.error().message;
  EXPECT_LT(truth->slip_rms_px, 1.0);
  EXPECT_LT(truth->focal_error_share, 0.005);
}

/// Cameras and points of the truth, some frames taken out.
Reconstruction trueWork(const SyntheticShot& shot, int from, int to) {
  Reconstruction work = reconstructionAtTruth(shot);
  for (int f = from; f < to; ++f) work.poses[static_cast<std::size_t>(f)].reset();
  return work;
}

double worstCentre(const SyntheticShot& shot, const Reconstruction& work) {
  double worst = 0;
  for (std::size_t f = 0; f < work.poses.size(); ++f) {
    worst = std::max(worst, work.poses[f] ? (work.poses[f]->centre - shot.poses[f].centre).norm() : 1e9);
  }
  return worst;
}

TEST(LongShots, MissingFramesAreFilledInAtBothEndsAndWithin) {
  for (const auto& [from, to] : {std::pair{0, 40}, std::pair{50, 85}, std::pair{80, 120}}) {
    SyntheticPlan plan = longWalk(120);
    plan.noise_px = 0.1;
    const SyntheticShot shot = makeSyntheticShot(plan);
    Reconstruction work = trueWork(shot, from, to);
    // Only what the placed frames see has a place.
    for (WorkTrack& track : work.tracks) {
      const auto placed = [&](const WorkObservation& o) { return work.poses[static_cast<std::size_t>(o.frame_index)].has_value(); };
      if (std::count_if(track.observations.begin(), track.observations.end(), placed) < 2) track.point.reset();
    }
    EXPECT_EQ(extendToMissing(work, {.loss_px = 2}, 1, {}), to - from);
    EXPECT_LT(worstCentre(shot, work), 0.05) << from;
  }
}

TEST(LongShots, FramesStandToTheirNeighboursAsBefore) {
  const SyntheticShot shot = makeSyntheticShot(longWalk(60));
  const Reconstruction before = trueWork(shot, 0, 0);
  Reconstruction work = before;
  // The world of the frames that stayed was turned and moved.
  const Similarity moved{1, rotationFromVector(Vec3(0.1, -0.2, 0.3)), Vec3(1, 2, -1)};
  for (std::size_t f = 0; f < work.poses.size(); ++f) {
    if (f % 4 == 0)
      work.poses[f] = moved * *work.poses[f];
    else
      work.poses[f].reset();
  }
  for (WorkTrack& track : work.tracks) track.point = moved * *track.point;
  placeAsBefore(work, before, false);
  for (std::size_t f = 0; f < work.poses.size(); ++f) {
    ASSERT_TRUE(work.poses[f]) << f;
    EXPECT_LT((work.poses[f]->centre - (moved * shot.poses[f]).centre).norm(), 0.05) << f;
  }
}

TEST(LongShots, HeldCamerasStayAndTheOthersComeTrue) {
  SyntheticPlan plan = longWalk(40);
  plan.noise_px = 0;
  const SyntheticShot shot = makeSyntheticShot(plan);
  Reconstruction work = trueWork(shot, 0, 0);
  FramePart part{std::vector<std::uint8_t>(40, 1), std::vector<std::uint8_t>(40, 1)};
  for (std::size_t f = 20; f < 30; ++f) {
    part.held[f] = 0;
    work.poses[f]->centre += Vec3(0.02, -0.01, 0.03);
  }
  part.in[39] = 0;
  const std::optional<Pose> out_of_it = work.poses[39];
  work.ties.push_back({.a = 19, .b = 20, .centre = 1e-6});
  adjustReconstruction(work, {.loss = Loss::Squared, .max_steps = 60, .settled = 1e-14}, {}, part);
  for (std::size_t f = 0; f < 20; ++f) EXPECT_EQ(work.poses[f]->centre, shot.poses[f].centre) << f;
  EXPECT_EQ(work.poses[39]->centre, out_of_it->centre);
  EXPECT_LT(worstCentre(shot, work), 1e-4);
}

TEST(KnownLensValues, OneThatStandsIsKeptAndOneThatIsBelievedPulls) {
  SyntheticPlan plan = longWalk(40);
  const SyntheticShot shot = makeSyntheticShot(plan);
  const auto stands = solveShot(shot.tracks, {.known_values = {{"k1", {-0.06, 0}}, {"cx_px", {640, 0}}, {"cy_px", {360, 0}}}}, {});
  ASSERT_TRUE(stands.ok()) << stands.error().message;
  EXPECT_EQ((*stands)->lens().k1(), -0.06);
  EXPECT_EQ((*stands)->lens().cx_px, 640);
  EXPECT_TRUE(std::isnan((*stands)->cameras[0].sigma[3]));
  for (const StaircaseStep& step : (*stands)->staircase) EXPECT_NE(step.released, "k1");
  EXPECT_NEAR((*stands)->lens().focal_px, 1100, 11);
  const auto pulled = solveShot(shot.tracks, {.known_values = {{"k1", {-0.2, 1e-6}}}}, {});
  ASSERT_TRUE(pulled.ok());
  EXPECT_NEAR((*pulled)->lens().k1(), -0.2, 0.02) << "a firm belief, even a wrong one";
}

TEST(KnownLensValues, BadOnesAreRefusedInWords) {
  const SyntheticShot shot = makeSyntheticShot(longWalk(20));
  const auto unknown = solveShot(shot.tracks, {.known_values = {{"bulge", {1, 0}}}}, {});
  ASSERT_FALSE(unknown.ok());
  EXPECT_THAT(unknown.error().message, HasSubstr("bulge"));
  EXPECT_FALSE(solveShot(shot.tracks, {.known_values = {{"k1", {kUnknown, 0}}}}, {}).ok());
  EXPECT_FALSE(solveShot(shot.tracks, {.known_values = {{"k1", {0, -1}}}}, {}).ok());
}

TEST(KnownLensValues, AnotherKindOfLensBeginsFromNothing) {
  const SyntheticShot shot = makeSyntheticShot(longWalk(40));
  const auto first = solveShot(shot.tracks, {}, {});
  ASSERT_TRUE(first.ok());
  const auto plain = solveShot(shot.tracks, {.lens = LensChoice::None}, {}, {}, *first);
  ASSERT_TRUE(plain.ok()) << plain.error().message;
  EXPECT_EQ((*plain)->lens().model, LensModel::None);
  EXPECT_EQ((*plain)->lens().k1(), 0);
  const auto locked = solveShot(shot.tracks, {.focal = FocalKnowledge::Locked, .focal_px = 1120}, {}, {}, *first);
  ASSERT_TRUE(locked.ok());
  EXPECT_EQ((*locked)->lens().focal_px, 1120);
}

TEST(LensCurve, SaysHowFarTheLensBendsAndHowSurely) {
  Lens lens = Lens::simple(1000, 500, 800);
  lens.k1() = -0.1;
  Eigen::MatrixXd covariance = Eigen::MatrixXd::Zero(2, 2);
  covariance(1, 1) = 0.01 * 0.01;
  const auto curve = lensCurve(lens, {0, 3}, covariance);
  ASSERT_GT(curve.size(), 10u);
  EXPECT_EQ(curve.front().radius_px, 0);
  EXPECT_NEAR(curve.front().bend_px, 0, 1e-9);
  for (const LensCurvePoint& p : curve) {
    // Solved by hand: radius = 800 (n + k1 n^3); k1 moves it by 800 n^3.
    double n = p.radius_px / 800;
    for (int i = 0; i < 50; ++i) n = (p.radius_px / 800) / (1 - 0.1 * n * n);
    EXPECT_NEAR(p.bend_px, -80 * n * n * n, 1e-6);
    EXPECT_NEAR(p.sigma_px, 8 * n * n * n, 1e-6);
  }
  EXPECT_TRUE(std::isnan(lensCurve(lens, {0}, Eigen::MatrixXd::Identity(1, 1)).back().sigma_px)) << "no coefficient was free";
  EXPECT_TRUE(lensCurve(Lens::simple(1000, 500, 800, LensModel::None), {}, {}).empty());
}

}  // namespace dusky::testing
