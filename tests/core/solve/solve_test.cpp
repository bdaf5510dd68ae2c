#include <gmock/gmock.h>
#include <gtest/gtest.h>
#include <oneapi/tbb/global_control.h>

#include <cmath>

#include "core/solve/sort_out.h"
#include "core/solve/skeleton.h"
#include "core/solve/solve_shot.h"
#include "core/review/verdict.h"
#include "tests/support/synthetic_shot.h"

namespace dusky::testing {
using ::testing::HasSubstr;

Result<SolutionPtr> solve(const SyntheticShot& shot, SolveOptions options = {}) { return solveShot(shot.tracks, options, {}); }

SyntheticPlan usualPlan() {
  SyntheticPlan plan{.frames = 40, .points = 260, .noise_px = 0.2, .life = 22, .seed = 3};
  plan.lens.k1() = -0.08;
  return plan;
}

TEST(SolveShot, FindsPathFocalLengthAndDistortionFromNothing) {
  const SyntheticShot shot = makeSyntheticShot(usualPlan());
  const auto solved = solve(shot);
  ASSERT_TRUE(solved.ok()) << solved.error().message;
  const Solution& s = **solved;
  EXPECT_EQ(s.placedFrames(), 40);
  EXPECT_NEAR(s.lens().focal_px, 1100, 0.01 * 1100);
  EXPECT_NEAR(s.lens().k1(), -0.08, 0.02);
  EXPECT_LT(pathError(shot, s), 0.02);  // on a path of 4.7 units
  EXPECT_GT(s.keptTracks(), 170);
  // Sightings have sigma 0.2 in each coordinate: an RMS of 0.28, a little less for what the unknowns take up.
  EXPECT_NEAR(s.rms_px, 0.28, 0.04);
  EXPECT_LT(s.holdout_rms_px, 1.3 * s.rms_px);
  EXPECT_EQ(s.summary.termination, Termination::Settled);
}

TEST(SolveShot, WrongTracksAreSetAsideAndDoNotBendThePath) {
  SyntheticPlan plan = usualPlan();
  plan.outlier_share = 0.25;
  const SyntheticShot shot = makeSyntheticShot(plan);
  const auto solved = solve(shot);
  ASSERT_TRUE(solved.ok()) << solved.error().message;
  EXPECT_LT(pathError(shot, **solved), 0.03);
  int kept_outliers = 0, kept = 0;
  for (const SolvedTrack& track : (*solved)->tracks) {
    if (track.state != TrackState::Kept) continue;
    ++kept;
    kept_outliers += shot.outlier[track.id - 1];
  }
  EXPECT_LE(kept_outliers, 2) << "one that wanders along its own epipolar lines can hide";
  EXPECT_GT(kept, 120);
}

TEST(SolveShot, AKnownFocalLengthStands) {
  const SyntheticShot shot = makeSyntheticShot(usualPlan());
  const auto locked = solve(shot, {.focal = FocalKnowledge::Locked, .focal_px = 1100});
  ASSERT_TRUE(locked.ok()) << locked.error().message;
  EXPECT_EQ((*locked)->lens().focal_px, 1100);
  EXPECT_TRUE(std::isnan((*locked)->cameras.front().sigma[0]));
  const auto near = solve(shot, {.focal = FocalKnowledge::Near, .focal_px = 1040});
  ASSERT_TRUE(near.ok());
  EXPECT_NEAR((*near)->lens().focal_px, 1100, 15);
}

TEST(SolveShot, ALensWithoutDistortionStaysWithoutWhenAsked) {
  SyntheticPlan plan = usualPlan();
  plan.lens.k1() = 0;
  const auto solved = solve(makeSyntheticShot(plan), {.lens = LensChoice::None});
  ASSERT_TRUE(solved.ok());
  EXPECT_EQ((*solved)->lens().k1(), 0);
  EXPECT_EQ((*solved)->lens().cx_px, 640);
  EXPECT_EQ((*solved)->lens().model, LensModel::None);
}

TEST(SolveShot, HoldoutTracksTakeNoPart) {
  const SyntheticShot shot = makeSyntheticShot(usualPlan());
  SyntheticShot bent = shot;
  const auto before = solve(shot);
  ASSERT_TRUE(before.ok());
  // Move every holdout track by the same wild amount: had they any say, the camera would change.
  for (Track& track : bent.tracks.tracks) {
    if (!(*before)->find(track.id)->holdout) continue;
    for (Observation& o : track.observations) o.position.x() += 2.5 * std::sin(o.frame);
  }
  const auto after = solve(bent);
  ASSERT_TRUE(after.ok());
  EXPECT_GT((*before)->summary.holdout_tracks, 15);
  EXPECT_LT(std::abs((*after)->lens().focal_px / (*before)->lens().focal_px - 1), 0.01);
  EXPECT_LT(pathError(shot, **after), 0.03);
  EXPECT_LT((*after)->summary.holdout_kept, (*before)->summary.holdout_kept);
}

TEST(SolveShot, WhatTheArtistSetAsideIsOnlyMeasured) {
  const SyntheticShot shot = makeSyntheticShot(usualPlan());
  const auto solved = solve(shot, {.set_aside = {2, 5, 11}});
  ASSERT_TRUE(solved.ok());
  for (int id : {2, 5, 11}) {
    EXPECT_EQ((*solved)->find(id)->state, TrackState::SetAside);
    EXPECT_EQ((*solved)->find(id)->reason, AsideReason::ByArtist);
    EXPECT_LT((*solved)->find(id)->typical_error_px, 1.0) << "it still gets a place and an error";
  }
}

TEST(SolveShot, SameResultTwiceAndWithOneThread) {
  const SyntheticShot shot = makeSyntheticShot(usualPlan());
  const auto a = solve(shot), b = solve(shot);
  const oneapi::tbb::global_control one_thread(oneapi::tbb::global_control::max_allowed_parallelism, 1);
  const auto c = solve(shot);
  ASSERT_TRUE(a.ok() && b.ok() && c.ok());
  for (std::size_t f = 0; f < (*a)->frames.size(); ++f) {
    for (const SolutionPtr& other : {*b, *c}) {
      EXPECT_LT(((*a)->frames[f].pose.centre - other->frames[f].pose.centre).norm(), 1e-9);
      EXPECT_LT((*a)->frames[f].pose.world_from_camera.angularDistance(other->frames[f].pose.world_from_camera), 1e-9);
    }
  }
}

TEST(SolveShot, SaysWhyItCannot) {
  const auto why = [](const SyntheticPlan& plan) {
    const auto solved = solve(makeSyntheticShot(plan));
    EXPECT_FALSE(solved.ok());
    if (solved.ok()) return std::string();
    EXPECT_EQ(solved.error().kind, ErrorKind::CannotSolve);
    return solved.error().message;
  };
  EXPECT_THAT(why({.frames = 20, .points = 8}), HasSubstr("Too few tracks"));
  EXPECT_THAT(why({.frames = 2, .points = 80}), HasSubstr("at least 3"));
  SyntheticShot still = makeSyntheticShot({.frames = 12, .points = 100});
  for (Track& track : still.tracks.tracks) {
    for (Observation& o : track.observations) o.position = track.observations.front().position;
  }
  const auto solved = solve(still);
  ASSERT_FALSE(solved.ok());
  EXPECT_THAT(solved.error().message, HasSubstr("does not move"));
}

TEST(SolveShot, TracksWithoutASetAreRefused) {
  // Every track wanders on its own: there is no still set.
  const auto solved = solve(makeSyntheticShot({.frames = 20, .points = 150, .outlier_share = 1.0}));
  ASSERT_FALSE(solved.ok());
  EXPECT_EQ(solved.error().kind, ErrorKind::CannotSolve);
}

TEST(SolveShot, CancelEndsItSoon) {
  const SyntheticShot shot = makeSyntheticShot(usualPlan());
  std::stop_source source;
  const Progress progress(
      [&](const ProgressState& s) {
        if (s.fraction > 0.3) source.request_stop();
      },
      source.get_token());
  const auto solved = solveShot(shot.tracks, {}, progress);
  ASSERT_FALSE(solved.ok());
  EXPECT_EQ(solved.error().kind, ErrorKind::Cancelled);
}

TEST(SolveShot, TellsPartialPathsOnTheWay) {
  const SyntheticShot shot = makeSyntheticShot(usualPlan());
  std::vector<int> placed;
  const auto solved = solveShot(shot.tracks, {}, {}, [&](SolutionPtr partial) { placed.push_back(partial->placedFrames()); });
  ASSERT_TRUE(solved.ok());
  ASSERT_GE(placed.size(), 3u);
  EXPECT_LT(placed.front(), 40) << "keyframes first";
  EXPECT_EQ(placed.back(), 40);
}

TEST(SolveShot, RefusesOptionsByName) {
  const SyntheticShot shot = makeSyntheticShot({});
  EXPECT_THAT(solve(shot, {.focal = FocalKnowledge::Locked, .focal_px = 0}).error().message, HasSubstr("focal length must be 10 to"));
  EXPECT_THAT(solve(shot, {.holdout_share = 0.9}).error().message, HasSubstr("holdout share"));
  EXPECT_THAT(solve(shot, {.max_rounds = 0}).error().message, HasSubstr("Rounds"));
}

TEST(SolveShot, TheStaircaseKeepsWhatHelpsTheHoldout) {
  SyntheticPlan plan = usualPlan();
  plan.lens.k1() = -0.15;
  const auto solved = solve(makeSyntheticShot(plan));
  ASSERT_TRUE(solved.ok());
  const auto& steps = (*solved)->staircase;
  ASSERT_GE(steps.size(), 2u);
  EXPECT_EQ(steps[1].released, "k1");
  EXPECT_TRUE(steps[1].kept);
  EXPECT_LT(steps[1].holdout_rms_px, 0.7 * steps[0].holdout_rms_px);
  for (std::size_t i = 2; i < steps.size(); ++i) {
    if (steps[i].kept) EXPECT_LE(steps[i].holdout_rms_px, steps[i - 1].holdout_rms_px + 1e-9);
  }
}

TEST(SolveShot, TheFocalLengthsSigmaIsHonest) {
  // Noise study: the spread of (found - true) / sigma over independent shots should be about one.
  double squares = 0;
  constexpr int kShots = 12;
  for (int seed = 1; seed <= kShots; ++seed) {
    SyntheticPlan plan = usualPlan();
    plan.lens.k1() = 0;
    plan.seed = 100 + seed;
    const auto solved = solve(makeSyntheticShot(plan), {.lens = LensChoice::None});
    ASSERT_TRUE(solved.ok());
    squares += std::pow(((*solved)->lens().focal_px - 1100) / (*solved)->cameras.front().sigma[0], 2);
  }
  const double spread = std::sqrt(squares / kShots);  // chi with 12 degrees of freedom: 0.57 to 1.48 holds 99 %
  EXPECT_GT(spread, 0.5);
  EXPECT_LT(spread, 1.6);
}

TEST(ChooseKeyframes, BeginAndEndAreAmongThemAndNeighboursShareTracks) {
  const SyntheticShot shot = makeSyntheticShot(usualPlan());
  const std::vector<int> keys = chooseKeyframes(shot.tracks);
  EXPECT_EQ(keys.front(), 0);
  EXPECT_EQ(keys.back(), 39);
  for (std::size_t k = 1; k < keys.size(); ++k) {
    EXPECT_LT(keys[k - 1], keys[k]);
    int shared = 0;
    for (const Track& t : shot.tracks.tracks) shared += t.at(1 + keys[k - 1]) && t.at(1 + keys[k]);
    EXPECT_GE(shared, 6);
  }
}

TEST(SortOut, BadFramesGoAndTheTrackStays) {
  const SyntheticShot shot = makeSyntheticShot({.frames = 10, .points = 30});
  Reconstruction work = makeReconstruction(shot.tracks, {}, 0, 1);
  work.lenses = {shot.plan.lens};
  for (std::size_t f = 0; f < shot.poses.size(); ++f) work.poses[f] = shot.poses[f];
  placeTracks(work, true, 0);
  work.tracks[0].observations[3].seen.x() += 30;
  for (auto& o : work.tracks[1].observations) o.seen.y() += o.frame_index % 2 ? 25 : -25;
  sortOut(work, {.tolerance_px = 2});
  EXPECT_FALSE(work.tracks[0].observations[3].used);
  EXPECT_TRUE(work.tracks[0].observations[4].used);
  EXPECT_EQ(work.tracks[0].reason, AsideReason::None);
  EXPECT_NE(work.tracks[1].reason, AsideReason::None);
  work.tracks[1].observations = makeReconstruction(shot.tracks, {}, 0, 1).tracks[1].observations;
  sortOut(work, {.tolerance_px = 2});
  EXPECT_EQ(work.tracks[1].reason, AsideReason::None) << "it comes back once it is good again";
}

TEST(Verdict, NamesWhatHurtsMost) {
  const SyntheticShot shot = makeSyntheticShot({.frames = 30, .points = 80, .noise_px = 0.1});
  const Solution good = perfectSolution(shot);
  EXPECT_TRUE(judgeSolution(good).fine);
  EXPECT_GT(judgeSolution(good).thinnest_tracks, 20);

  Solution loud = good;
  for (int f = 12; f <= 15; ++f) loud.frames[f].rms_px *= 4;
  EXPECT_THAT(judgeSolution(loud).hurt, HasSubstr("Frames 13–16 carry"));
  EXPECT_EQ(judgeSolution(loud).hurt_frames.value().first, 13);
  EXPECT_FALSE(judgeSolution(loud).hurt_tracks.empty());

  Solution thin = loud;
  thin.frames[20].tracks = 7;
  EXPECT_THAT(judgeSolution(thin).hurt, HasSubstr("Frame 21 hangs"));
  EXPECT_EQ(judgeSolution(thin).thinnest_frame, 21);

  Solution missing = thin;
  missing.frames[5].placed = missing.frames[6].placed = false;
  EXPECT_THAT(judgeSolution(missing).hurt, HasSubstr("Frames 6–7 have no camera"));

  Solution fooled = good;
  fooled.holdout_rms_px = 3 * good.rms_px;
  EXPECT_THAT(judgeSolution(fooled).hurt, HasSubstr("Holdout is 3.0 × the RMS"));
}

TEST(UsualErrorTop, IsARoundNumberAboveTheUsualErrors) {
  Solution solution;
  for (const auto& [rms, top] : {std::pair{0.15, 1.0}, {0.3, 2.0}, {1.0, 5.0}, {0.02, 0.1}}) {
    solution.rms_px = rms;
    EXPECT_DOUBLE_EQ(usualErrorTop(solution), top) << rms;
  }
  solution.rms_px = kUnknown;
  EXPECT_DOUBLE_EQ(usualErrorTop(solution), 1.0);
}
}  // namespace dusky::testing
