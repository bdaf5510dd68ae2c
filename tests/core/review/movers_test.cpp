// Things that move on their own: named with their tracks and frames, whatever camera films them; nothing else is called one.
#include "core/review/movers.h"

#include <gmock/gmock.h>
#include <gtest/gtest.h>

#include <cmath>
#include <set>

#include "core/project/result_codec.h"
#include "core/review/reviewed_solve.h"
#include "core/review/verdict.h"
#include "tests/support/synthetic_shot.h"

namespace dusky::testing {

using ::testing::HasSubstr;

/// A walk past a set in which a cart rolls across.
SyntheticPlan cartPlan() {
  SyntheticPlan plan{.frames = 60, .points = 320, .noise_px = 0.15, .outlier_share = 0.08, .life = 30, .seed = 4};
  plan.mover_share = 0.2;
  plan.mover = [](int i) { return Pose{rotationFromVector(Vec3(0, 0.008 * i, 0)), Vec3(0.02 * i, 0, 0.015 * i)}; };
  return plan;
}

int rightOf(const SyntheticShot& shot, const Mover& mover) {
  return static_cast<int>(std::count_if(mover.tracks.begin(), mover.tracks.end(), [&](int id) { return shot.moves[static_cast<std::size_t>(id - 1)] > 0; }));
}

TEST(Movers, AThingThatMovesOnItsOwnIsNamedWithItsTracksAndFrames) {
  const SyntheticShot shot = makeSyntheticShot(cartPlan());
  const auto solved = reviewedSolve(shot.tracks, {}, {});
  ASSERT_TRUE(solved.ok()) << solved.error().message;
  ASSERT_EQ((*solved)->movers.size(), 1u);
  const Mover& mover = (*solved)->movers.front();
  int moving = 0;
  for (const Track& track : shot.tracks.tracks) moving += shot.moves[static_cast<std::size_t>(track.id - 1)] > 0 && track.life() >= 5;
  EXPECT_EQ(mover.name, "Mover A");
  EXPECT_GE(rightOf(shot, mover), static_cast<int>(0.98 * static_cast<double>(mover.tracks.size())));
  EXPECT_GE(rightOf(shot, mover), 0.9 * moving);
  EXPECT_LE(mover.first, 8);
  EXPECT_GE(mover.last, 53);
  EXPECT_LT(mover.rms_px, 1.3 * 0.15 * std::sqrt(2.0));
  for (const int id : mover.tracks) EXPECT_NE((*solved)->find(id)->state, TrackState::Kept);
  EXPECT_THAT((*solved)->summary.warnings, ::testing::Contains(HasSubstr("Mover A: ")));
  EXPECT_GT((*solved)->evidence.explained_share, 0.85) << "what is known to move is not unexplained";
  EXPECT_TRUE(std::is_sorted(mover.tracks.begin(), mover.tracks.end()));
}

TEST(Movers, ComeAndGoWithTheFramesTheyAreSeenIn) {
  SyntheticPlan plan = cartPlan();
  SyntheticShot shot = makeSyntheticShot(plan);
  for (Track& track : shot.tracks.tracks) {
    if (shot.moves[static_cast<std::size_t>(track.id - 1)] > 0)
      std::erase_if(track.observations, [](const Observation& o) { return o.frame < 20 || o.frame > 44; });
  }
  std::erase_if(shot.tracks.tracks, [](const Track& track) { return track.life() < 2; });
  const auto solved = reviewedSolve(shot.tracks, {}, {});
  ASSERT_TRUE(solved.ok()) << solved.error().message;
  ASSERT_EQ((*solved)->movers.size(), 1u);
  EXPECT_NEAR((*solved)->movers.front().first, 20, 4);
  EXPECT_NEAR((*solved)->movers.front().last, 44, 4);
}

TEST(Movers, TwoOfThemAreTwo) {
  SyntheticPlan plan = cartPlan();
  plan.points = 600, plan.mover_share = 0.35, plan.outlier_share = 0.02;
  plan.other_mover = [](int i) { return Pose{rotationFromVector(Vec3(0, -0.01 * i, 0)), Vec3(-0.025 * i, 0.004 * i, 0)}; };
  const SyntheticShot shot = makeSyntheticShot(plan);
  const auto solved = reviewedSolve(shot.tracks, {}, {});
  ASSERT_TRUE(solved.ok()) << solved.error().message;
  ASSERT_EQ((*solved)->movers.size(), 2u);
  for (const Mover& mover : (*solved)->movers) {
    const auto second = std::count_if(mover.tracks.begin(), mover.tracks.end(), [&](int id) { return shot.moves[static_cast<std::size_t>(id - 1)] == 2; });
    const double share = static_cast<double>(second) / static_cast<double>(mover.tracks.size());
    EXPECT_GT(std::max(share, 1 - share), 0.9) << mover.name;
  }
  EXPECT_EQ((*solved)->movers.back().name, "Mover B");
}

TEST(Movers, WhatWandersEachForItselfIsNone) {
  SyntheticPlan plan = cartPlan();
  plan.mover_share = 0, plan.outlier_share = 0.25;
  for (const std::uint64_t seed : {4, 5, 6}) {
    plan.seed = seed;
    const auto solved = reviewedSolve(makeSyntheticShot(plan).tracks, {}, {});
    ASSERT_TRUE(solved.ok()) << solved.error().message;
    EXPECT_TRUE((*solved)->movers.empty()) << seed;
  }
}

TEST(Movers, PoorTracksOfTheSetAreNone) {
  // Every fifth track of the set creeps by a pixel or two, each its own way: they are set aside, and still show the set's motion.
  SyntheticPlan plan = cartPlan();
  plan.mover_share = 0, plan.outlier_share = 0, plan.slide_share = 0.25, plan.slide_px = 1.5;
  const auto solved = reviewedSolve(makeSyntheticShot(plan).tracks, {}, {});
  ASSERT_TRUE(solved.ok()) << solved.error().message;
  EXPECT_TRUE((*solved)->movers.empty()) << (*solved)->movers.front().tracks.size();
}

TEST(Movers, AreFoundUnderAZoomToo) {
  SyntheticPlan plan = cartPlan();
  plan.focal_px = [](int i) { return 1100 * std::pow(1.5, i / 59.0); };
  const SyntheticShot shot = makeSyntheticShot(plan);
  const auto solved = reviewedSolve(shot.tracks, {.focal = FocalKnowledge::Zoom}, {});
  ASSERT_TRUE(solved.ok()) << solved.error().message;
  ASSERT_EQ((*solved)->movers.size(), 1u);
  EXPECT_GE(rightOf(shot, (*solved)->movers.front()), static_cast<int>(0.98 * static_cast<double>((*solved)->movers.front().tracks.size())));
}

TEST(Movers, AreKeptWithTheSolve) {
  Solution solution = perfectSolution(makeSyntheticShot({.frames = 6, .points = 40}));
  solution.movers = {{"Mover A", 2, 5, {3, 7, 9}, 0.25, 0.4}};
  solution.evidence.patterns = {{PatternKind::Zoom, 7.5, 0.3}};
  const auto back = decodeSolution(encode(solution));
  ASSERT_TRUE(back.ok()) << back.error().message;
  ASSERT_EQ((*back)->movers.size(), 1u);
  const Mover& mover = (*back)->movers.front();
  EXPECT_EQ(mover.tracks, (std::vector<int>{3, 7, 9}));
  EXPECT_EQ(mover.first, 2);
  EXPECT_EQ(mover.last, 5);
  EXPECT_EQ(mover.rms_px, 0.25);
  EXPECT_EQ(mover.kept_share, 0.4);
  ASSERT_EQ((*back)->evidence.patterns.size(), 1u);
  EXPECT_EQ((*back)->evidence.patterns.front().kind, PatternKind::Zoom);
  EXPECT_EQ((*back)->evidence.patterns.front().amplitude_px, 0.3);
}

TEST(Movers, NearlyAsManyAsTheSetAreToBeChecked) {
  Solution solution = perfectSolution(makeSyntheticShot({.frames = 12, .points = 300, .noise_px = 0.2}));
  solution.evidence = {.noise_floor_px = 0.2, .explained_share = 0.95, .focal_sigma_share = 0.001};
  solution.movers = {{"Mover A", 2, 9, std::vector<int>(50, 1), 0.25, 0.2}};
  EXPECT_EQ(judgeSolution(solution).level, TrustLevel::Trust) << "a fifth is a thing in the set";
  solution.movers.front().kept_share = 0.8;
  const Verdict verdict = judgeSolution(solution);
  EXPECT_EQ(verdict.level, TrustLevel::Check);
  EXPECT_EQ(verdict.causes.front().what, "another motion");
  EXPECT_EQ(verdict.causes.front().frames->first, 2);
}

}  // namespace dusky::testing
