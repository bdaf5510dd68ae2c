// The verdict that one can bet on: what it rests on, and shots of which the footage cannot tell the camera.
#include "core/review/verdict.h"

#include <gmock/gmock.h>
#include <gtest/gtest.h>

#include <cmath>

#include "core/base/random.h"
#include "core/review/beyond_infinity.h"
#include "core/review/reviewed_solve.h"
#include "tests/support/judge_by_truth.h"
#include "tests/support/random_shot.h"

namespace dusky::testing {

using ::testing::HasSubstr;

Solution fineSolution() {
  Solution s = perfectSolution(makeSyntheticShot({.frames = 12, .points = 300, .noise_px = 0.2}));
  s.evidence = {.noise_floor_px = 0.2, .explained_share = 0.95, .focal_sigma_share = 0.001};
  return s;
}

std::vector<std::string> causesOf(const Solution& s) {
  std::vector<std::string> what;
  for (const Cause& cause : judgeSolution(s).causes) what.push_back(cause.what);
  return what;
}

TEST(Verdict, TrustsWhatIsExplainedToTheNoise) {
  const Verdict verdict = judgeSolution(fineSolution());
  EXPECT_EQ(verdict.level, TrustLevel::Trust) << verdict.sentence;
  EXPECT_TRUE(verdict.causes.empty());
  EXPECT_THAT(verdict.sentence, HasSubstr("95 %"));
  EXPECT_EQ(describe(TrustLevel::Trust), "trust");
}

TEST(Verdict, AnErrorAboveTheNoiseIsToBeChecked) {
  Solution s = fineSolution();
  s.evidence.noise_floor_px = 0.1;
  const Verdict verdict = judgeSolution(s);
  EXPECT_EQ(verdict.level, TrustLevel::Check);
  EXPECT_EQ(verdict.causes.front().what, "unexplained error");
  EXPECT_GT(verdict.causes.front().significance, 1);
  EXPECT_EQ(verdict.sentence, verdict.causes.front().sentence);
  s.rms_px *= 3;
  EXPECT_EQ(judgeSolution(s).level, TrustLevel::Reject);
  s = fineSolution();
  s.evidence.noise_over_time_px = 0.2 / 1.3;
  EXPECT_EQ(causesOf(s), std::vector<std::string>{"unexplained error"}) << "more than what the tracks drift";
  s.rms_px = s.holdout_rms_px = 0.06, s.evidence.noise_floor_px = s.evidence.noise_over_time_px = 0.01;
  EXPECT_EQ(judgeSolution(s).level, TrustLevel::Trust) << "nobody asks for less than a twentieth of a pixel";
}

TEST(Verdict, APathThatIsNoneBesideTheSetsDistanceIsToBeChecked) {
  Solution s = fineSolution();
  s.evidence.path_share = 0.012;
  EXPECT_EQ(judgeSolution(s).level, TrustLevel::Trust) << "a small move";
  s.evidence.path_share = 0.0013;
  EXPECT_EQ(causesOf(s), std::vector<std::string>{"small parallax"});
  s.evidence.path_share = 0.05;
  s.evidence.rival = {.name = "a camera that only rotates", .share = 0.04, .gain = -120, .unknowns = -1100, .slip_px = 196, .stays = true};
  EXPECT_EQ(causesOf(s), std::vector<std::string>{"small parallax"}) << "one that stays in its place does nearly as well";
  s.evidence.path_share = 0.4;
  EXPECT_EQ(judgeSolution(s).level, TrustLevel::Trust) << "it went too far for that";
}

TEST(Verdict, AFlatSetIsTrustedWhereNothingMovesWhenItIsFreed) {
  Solution s = fineSolution();
  s.evidence.flatness = 0.01, s.evidence.freed_slip_px = 4;
  EXPECT_EQ(causesOf(s), std::vector<std::string>{"flat set"});
  s.evidence.freed_slip_px = kUnknown;
  EXPECT_EQ(causesOf(s), std::vector<std::string>{"flat set"}) << "nobody looked";
  s.evidence.freed_slip_px = 0.1;
  EXPECT_EQ(judgeSolution(s).level, TrustLevel::Trust);
}

TEST(Verdict, FramesOnFewTracksAreNamedAndThoseOnTooFewAreACause) {
  Solution s = fineSolution();
  s.frames[3].tracks = 14;
  const Verdict named = judgeSolution(s);
  EXPECT_THAT(named.hurt, HasSubstr("hangs on fewer than 20 tracks"));
  EXPECT_FALSE(named.fine);
  EXPECT_EQ(named.level, TrustLevel::Trust) << "fourteen tracks agree on no wrong place";
  s.frames[3].tracks = 9;
  EXPECT_EQ(causesOf(s), std::vector<std::string>{"weak part"});
  EXPECT_THAT(judgeSolution(s).hurt, HasSubstr("hangs on fewer than 10 tracks"));
}

TEST(Verdict, AClearShutterPatternIsACauseHoweverSmall) {
  Solution s = fineSolution();
  s.evidence.patterns = {{PatternKind::Shutter, 7, 0.02}};
  EXPECT_EQ(causesOf(s), std::vector<std::string>{"shutter pattern"});
  s.evidence.patterns = {{PatternKind::Zoom, 7, 0.02}};
  EXPECT_EQ(judgeSolution(s).level, TrustLevel::Trust) << "a tenth of the noise of a zoom shows where nothing is wrong";
}

TEST(Verdict, MostSightingsThrownOutIsNoCamera) {
  Solution s = fineSolution();
  s.evidence.explained_share = 0.5;
  EXPECT_EQ(causesOf(s), std::vector<std::string>{"few tracks explained"});
  s.evidence.explained_share = 0.2;
  EXPECT_EQ(judgeSolution(s).level, TrustLevel::Reject);
}

TEST(Verdict, SaysWhatTheFootageCannotTell) {
  Solution s = fineSolution();
  s.evidence.focal_sigma_share = 0.06, s.evidence.focal_slip_px = 3.4;
  EXPECT_EQ(causesOf(s), std::vector<std::string>{"focal length"});
  EXPECT_THAT(judgeSolution(s).sentence, HasSubstr("6.0 %"));
  EXPECT_THAT(judgeSolution(s).sentence, HasSubstr("3.4 px"));
  s.motion = MotionKind::Nodal;
  EXPECT_EQ(causesOf(s), std::vector<std::string>{"lens"});
  s = fineSolution();
  s.evidence.slip_sigma_px = 0.2, s.evidence.stability_px = 5;
  EXPECT_EQ(causesOf(s), std::vector<std::string>{"unstable"});
  s.evidence.slip_sigma_px = 2;
  EXPECT_EQ(causesOf(s), std::vector<std::string>{"few tracks"});
}

TEST(Verdict, AFocalLengthThatHardlyMattersIsNoCause) {
  Solution s = fineSolution();
  s.evidence.focal_sigma_share = 0.06, s.evidence.focal_slip_px = 0.3;
  EXPECT_EQ(judgeSolution(s).level, TrustLevel::Trust) << "a wall shows the same with any";
  EXPECT_THAT(judgeSolution(s).sentence, HasSubstr("0.30 px"));
}

TEST(Verdict, TracksBeyondInfinityAreACause) {
  Solution s = fineSolution();
  s.evidence.beyond_infinity_share = 0.02;
  EXPECT_EQ(judgeSolution(s).level, TrustLevel::Trust) << "a few by chance";
  s.evidence.beyond_infinity_share = 0.2;
  EXPECT_EQ(causesOf(s), std::vector<std::string>{"beyond infinity"});
  EXPECT_THAT(judgeSolution(s).sentence, HasSubstr("20 %"));
}

TEST(Evidence, BentFocalLengthPutsTracksBeyondInfinity) {
  // What is far, seen by a camera that turns as it goes: a turn that is a little too large asks for depths that nothing has.
  SyntheticPlan plan{.frames = 40, .points = 200, .noise_px = 0.1, .life = 0, .seed = 5};
  auto random = std::make_shared<Random>(6);
  plan.set = [random](const Vec3& from, const Vec3& ray) -> std::optional<Vec3> { return Vec3(from + random->between(200, 900) * ray.normalized()); };
  plan.path = [](int i) { return Pose{Eigen::Quaterniond(0, 1, 0, 0), Vec3(0.05 * i, 1.6, 0)}; };
  const SyntheticShot shot = makeSyntheticShot(plan);
  Reconstruction work = reconstructionAtTruth(shot);
  EXPECT_LT(shareBeyondInfinity(work, plan.noise_px), 0.02);
  for (std::size_t f = 0; f < work.poses.size(); ++f) {
    const double turn = 0.02 * static_cast<double>(f) / 39;
    work.poses[f]->world_from_camera = work.poses[f]->world_from_camera * rotationFromVector(Vec3(0, turn, 0));
  }
  const double one_way = shareBeyondInfinity(work, plan.noise_px);
  for (std::size_t f = 0; f < work.poses.size(); ++f) {
    const double turn = -0.04 * static_cast<double>(f) / 39;
    work.poses[f]->world_from_camera = work.poses[f]->world_from_camera * rotationFromVector(Vec3(0, turn, 0));
  }
  EXPECT_GT(std::max(one_way, shareBeyondInfinity(work, plan.noise_px)), 0.5);
  EXPECT_LT(std::min(one_way, shareBeyondInfinity(work, plan.noise_px)), 0.02) << "turned the other way they only come nearer";
}

TEST(Verdict, NamesAnotherExplanationThatFitsAsWell) {
  Solution s = fineSolution();
  s.evidence.rival = {.name = "a camera that only rotates, with a zoom", .share = 0.02, .gain = -2, .unknowns = -300, .slip_px = 12};
  EXPECT_EQ(causesOf(s), std::vector<std::string>{"another explanation"});
  EXPECT_THAT(judgeSolution(s).sentence, HasSubstr("only rotates, with a zoom"));
  EXPECT_THAT(judgeSolution(s).sentence, HasSubstr("12.0 px"));
  s.evidence.rival.gain = -20;
  EXPECT_EQ(judgeSolution(s).level, TrustLevel::Trust) << "fits clearly worse";
  s.evidence.rival = {.name = "a camera that moves", .gain = 0.5, .unknowns = 300, .slip_px = 12};
  EXPECT_EQ(judgeSolution(s).level, TrustLevel::Trust) << "a richer one fits a little better by chance";
  s.evidence.rival.gain = 30;
  EXPECT_EQ(judgeSolution(s).level, TrustLevel::Check);
}

TEST(Verdict, ACameraBesideItsPivotIsToBeCheckedUntilTheFocalLengthIsKnown) {
  SyntheticPlan plan{.frames = 70, .points = 700, .noise_px = 0.2, .life = 34, .seed = 51};
  auto random = std::make_shared<Random>(52);
  plan.set = [random](const Vec3& from, const Vec3& ray) -> std::optional<Vec3> { return Vec3(from + random->between(1.5, 8) * ray.normalized()); };
  plan.path = [](int i) {
    const Eigen::Quaterniond turned = (rotationFromVector(Vec3(0, 0.35 - 0.01 * i, 0)) * Eigen::Quaterniond(0, 1, 0, 0)).normalized();
    return Pose{turned, Vec3(0, 1.6, 0) - 0.15 * (turned * Vec3::UnitZ())};
  };
  const SyntheticShot shot = makeSyntheticShot(plan);
  const auto unknown = reviewedSolve(shot.tracks, {}, {});
  ASSERT_TRUE(unknown.ok());
  EXPECT_EQ((*unknown)->motion, MotionKind::Arc) << (*unknown)->motion_why;
  EXPECT_EQ(judgeSolution(**unknown).level, TrustLevel::Check);
  EXPECT_THAT(causesOf(**unknown), ::testing::Contains("small parallax"));
  const auto told = reviewedSolve(shot.tracks, {.focal = FocalKnowledge::Near, .focal_px = 1100, .focal_tolerance = 0.001}, {});
  ASSERT_TRUE(told.ok());
  EXPECT_EQ(judgeSolution(**told).level, TrustLevel::Trust) << judgeSolution(**told).sentence;
  EXPECT_LT(judgeByTruth(shot, **told)->slip_rms_px, 1);
}

TEST(Verdict, AnUnsettledSolveIsToBeChecked) {
  Solution s = fineSolution();
  s.summary.termination = Termination::StepLimit;
  EXPECT_EQ(causesOf(s), std::vector<std::string>{"unsettled"});
  s.evidence.slip_sigma_px = 0.05;
  EXPECT_EQ(judgeSolution(s).level, TrustLevel::Check) << "a wall under a zoom holds the slip firmly, and the camera not at all";
}

TEST(Verdict, TheGravestCauseComesFirst) {
  Solution s = fineSolution();
  s.evidence.focal_slip_px = 3, s.evidence.rival.gain = 0;
  EXPECT_EQ(causesOf(s), (std::vector<std::string>{"focal length", "another explanation"}));
}

TEST(Verdict, WhatIsWeakInAPartIsACauseWithItsFrames) {
  Solution s = fineSolution();
  s.frames[4].placed = false;
  const Verdict verdict = judgeSolution(s);
  EXPECT_EQ(verdict.level, TrustLevel::Check);
  EXPECT_EQ(verdict.causes.front().frames, (FrameRange{5, 5}));
  Solution loud = fineSolution();
  loud.frames[0].rms_px *= 3;
  EXPECT_EQ(judgeSolution(loud).causes.front().frames, (FrameRange{1, 1}));
  for (SolvedFrame& frame : loud.frames) frame.rms_px /= 4;
  EXPECT_EQ(judgeSolution(loud).level, TrustLevel::Trust) << "three times next to nothing hurts nobody";
}

TEST(Verdict, FramesThatLoseFarMoreSightingsThanUsualAreACause) {
  const auto losing = [](int from, int to) {
    Solution s = fineSolution();
    for (SolvedTrack& track : s.tracks) {
      for (TrackError& e : track.errors) e.used = e.used && (track.id % 2 == 0 || e.frame < from || e.frame > to);
    }
    return s;
  };
  const Verdict some = judgeSolution(losing(8, 10));
  EXPECT_EQ(some.level, TrustLevel::Check);
  EXPECT_EQ(some.causes.front().frames, (FrameRange{8, 10}));
  EXPECT_THAT(some.causes.front().sentence, HasSubstr("of their sightings explained"));
  EXPECT_EQ(judgeSolution(losing(1, 12)).level, TrustLevel::Trust) << "what wanders does so in all frames";
  EXPECT_EQ(judgeSolution(losing(8, 8)).level, TrustLevel::Trust) << "a flash";
  Solution crossed = losing(8, 10);
  crossed.movers.push_back({.name = "Mover A", .first = 8, .last = 10, .tracks = {}, .rms_px = 0.2, .kept_share = 0.3});
  for (const SolvedTrack& track : crossed.tracks) {
    if (track.id % 2 != 0) crossed.movers.front().tracks.push_back(track.id);
  }
  EXPECT_EQ(judgeSolution(crossed).level, TrustLevel::Trust) << "what is known to move is not unexplained";
}

TEST(Verdict, HearsWhatThePicturesOfKeyframesSay) {
  const Solution s = fineSolution();
  const Verdict near = judgeSolution(s, std::vector<PictureOffset>{{1, 0.06}, {5, 0.1}, {9, kUnknown}, {12, 0.08}});
  EXPECT_EQ(near.level, TrustLevel::Trust) << near.sentence;
  EXPECT_THAT(near.sentence, HasSubstr("within 0.08 px"));
  const Verdict all_off = judgeSolution(s, std::vector<PictureOffset>{{1, 0.2}, {5, 0.9}, {9, 0.8}, {12, 0.7}});
  EXPECT_EQ(all_off.level, TrustLevel::Check);
  EXPECT_EQ(all_off.causes.front().what, "pictures");
  EXPECT_FALSE(all_off.causes.front().frames);
  const Verdict part_off = judgeSolution(s, std::vector<PictureOffset>{{1, 0.1}, {4, 0.05}, {6, 1.4}, {9, 2.1}, {11, 0.1}, {12, 0.1}});
  EXPECT_EQ(part_off.level, TrustLevel::Check);
  EXPECT_EQ(part_off.causes.front().frames, (FrameRange{6, 9}));
  EXPECT_THAT(part_off.sentence, HasSubstr("2.1 px"));
}

TEST(Evidence, AMoveWithoutRotationLeavesTheFocalLengthOpenAndSaysSo) {
  // Straight on, never turning: any focal length explains the pictures, with depths to go with it.
  SyntheticPlan plan{.frames = 60, .points = 500, .noise_px = 0.3, .life = 40, .seed = 3};
  plan.path = [](int i) { return Pose{Eigen::Quaterniond(0, 1, 0, 0), Vec3(0.01 * i, 1.6, -0.03 * i)}; };
  const auto s = reviewedSolve(makeSyntheticShot(plan).tracks, {}, {});
  ASSERT_TRUE(s.ok());
  EXPECT_GT((*s)->evidence.focal_sigma_share, 0.05);
  EXPECT_EQ(judgeSolution(**s).level, TrustLevel::Check);
  EXPECT_THAT(causesOf(**s), ::testing::Contains("focal length"));
  const auto told = reviewedSolve(makeSyntheticShot(plan).tracks, {.focal = FocalKnowledge::Near, .focal_px = 1100, .focal_tolerance = 0.001}, {});
  ASSERT_TRUE(told.ok());
  EXPECT_EQ(judgeSolution(**told).level, TrustLevel::Trust) << judgeSolution(**told).sentence;
}

TEST(Evidence, AFlatSetIsFreedToSeeWhatItHolds) {
  // A wall passed by with a turn: the constant focal length stands on its own.
  SyntheticPlan plan{.frames = 60, .points = 500, .noise_px = 0.15, .life = 50, .seed = 5};
  plan.path = [](int i) {
    return Pose{(rotationFromVector(Vec3(0, 0.008 * i, 0)) * Eigen::Quaterniond(0, 1, 0, 0)).normalized(), Vec3(0.03 * i, 1.6, -0.01 * i)};
  };
  plan.set = [](const Vec3& from, const Vec3& ray) -> std::optional<Vec3> {
    if (ray.z() > -0.05) return std::nullopt;
    return Vec3(from + (-5 - from.z()) / ray.z() * ray);
  };
  const SyntheticShot shot = makeSyntheticShot(plan);
  const auto s = reviewedSolve(shot.tracks, {}, {});
  ASSERT_TRUE(s.ok());
  EXPECT_LT((*s)->evidence.flatness, 0.02);
  const auto truth = judgeByTruth(shot, **s);
  ASSERT_TRUE(truth.ok());
  EXPECT_LT(truth->slip_rms_px, 1);
  EXPECT_LT((*s)->evidence.freed_slip_px, 1);
  EXPECT_THAT(causesOf(**s), ::testing::Not(::testing::Contains("flat set")));
}

TEST(Evidence, RandomShotsAreNotTrustedWhenTheyAreWrong) {
  // A few of bench/trust_study's, drawn for this test alone.
  int right = 0, trusted_and_wrong = 0;
  for (std::uint64_t seed = 9001; seed <= 9006; ++seed) {
    const RandomShot random = randomShot(seed);
    const SyntheticShot shot = makeSyntheticShot(random.plan);
    const auto s = reviewedSolve(shot.tracks, {}, {});
    if (!s.ok()) continue;
    const auto truth = judgeByTruth(shot, **s);
    const bool good = truth.ok() && truth->slip_rms_px <= std::max(1.0, 4 * random.plan.noise_px);
    right += good;
    trusted_and_wrong += !good && judgeSolution(**s).level == TrustLevel::Trust;
  }
  EXPECT_GE(right, 3);
  EXPECT_EQ(trusted_and_wrong, 0);
}

}  // namespace dusky::testing
