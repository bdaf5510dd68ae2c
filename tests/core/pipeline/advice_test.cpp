// Advice by truth: what is wrong with a solve is named first, and taking it up gains about what was promised.
#include "core/pipeline/advice_step.h"

#include <gmock/gmock.h>
#include <gtest/gtest.h>

#include "tests/support/synthetic_shot.h"

namespace dusky::testing {
using ::testing::HasSubstr;
using ::testing::IsEmpty;

class AdviceTest : public ::testing::Test {
 protected:
  void make(const SyntheticPlan& plan) {
    shot = makeSyntheticShot(plan);
    footage = infoOfTracks(shot.tracks, "shot.json");
    footage.fps = 24;
  }
  SolutionPtr solved() {
    const auto solution = runSolve(document, footage, shot.tracks, Progress());
    EXPECT_TRUE(solution.ok()) << solution.error().message;
    return *solution;
  }
  std::vector<Advice> advice(const SolutionPtr& solution) {
    const auto advised = adviseOn({document, footage, std::make_shared<TrackSet>(shot.tracks), solution}, Progress());
    EXPECT_TRUE(advised.ok());
    return *advised;
  }
  /// The piece that asks for an action; without an action when none does.
  static std::optional<Advice> asking(const std::vector<Advice>& all, AdviceAction action) {
    const auto found = std::find_if(all.begin(), all.end(), [action](const Advice& a) { return a.action == action; });
    return found != all.end() ? std::optional(*found) : std::nullopt;
  }
  /// Takes a piece up: how much the holdout error did fall, as a share of what was promised.
  double gained(const SolutionPtr& before, const Advice& taken) {
    const auto edit = takeAdvice(document, *before, taken);
    if (!edit) return -1;
    const Document as_it_was = document;
    edit->apply(document);
    const SolutionPtr after = solved();
    Document back = document;
    edit->revert(back);
    EXPECT_EQ(back, as_it_was) << "can be undone";
    return (before->holdout_rms_px - after->holdout_rms_px) / taken.gain_px;
  }
  /// The same of the piece that asks for an action after a solve; -1 where none does.
  double gainedBy(AdviceAction action) {
    const SolutionPtr before = solved();
    const auto asks = asking(advice(before), action);
    return asks ? gained(before, *asks) : -1;
  }

  SyntheticShot shot;
  FootageInfo footage;
  Document document;
};

TEST_F(AdviceTest, AGoodSolveNeedsNone) {
  make({.frames = 40, .points = 220, .noise_px = 0.25});
  EXPECT_THAT(advice(solved()), IsEmpty());
}

TEST_F(AdviceTest, ALensThatBendsIsSaidAndFreed) {
  SyntheticPlan plan{.frames = 40, .points = 220, .noise_px = 0.25};
  plan.lens.k1() = -0.08;
  make(plan);
  document.lens.lens = LensChoice::None;
  const SolutionPtr before = solved();
  const auto all = advice(before);
  const auto asks = asking(all, AdviceAction::FreeLens);
  ASSERT_TRUE(asks) << all.size();
  EXPECT_THAT(asks->sentence, HasSubstr("the lens bends"));
  EXPECT_NEAR(gained(before, *asks), 1, 0.35);
}

TEST_F(AdviceTest, AZoomIsSaidAndSolved) {
  SyntheticPlan plan{.frames = 40, .points = 220, .noise_px = 0.25};
  plan.focal_px = [](int i) { return 1100 + 4.0 * i; };
  make(plan);
  document.lens.focal = FocalKnowledge::Near, document.lens.focal_mm = 1180 * 36.0 / 1280;
  ASSERT_FALSE(solved()->zooms());
  EXPECT_GT(gainedBy(AdviceAction::FreeZoom), 0.5);
}

TEST_F(AdviceTest, AShutterThatRollsIsSaidAndFound) {
  SyntheticPlan plan{.frames = 40, .points = 220, .noise_px = 0.25};
  plan.readout = 0.4;
  plan.path = [](int i) {
    Pose pose = walkingOn(i, 0.12);
    pose.world_from_camera = pose.world_from_camera * Eigen::AngleAxisd(0.05 * std::sin(0.9 * i), Vec3::UnitY());
    return pose;
  };
  make(plan);
  document.lens.global_shutter = true;
  EXPECT_GT(gainedBy(AdviceAction::FindReadout), 0.5);
}

TEST_F(AdviceTest, APathThatIsHeldWronglyIsSaidAndFreed) {
  SyntheticPlan plan{.frames = 40, .points = 220, .noise_px = 0.25};
  plan.path = bowedPath(40);
  make(plan);
  document.lens.motion = CameraMotion::Rail;
  EXPECT_GT(gainedBy(AdviceAction::FreeMotion), 0.5);
}

// Tracks that err, but bend no camera, promise no gain: nobody is sent to tidy up.
TEST_F(AdviceTest, WhatErrsAndHarmsNothingIsLeftAlone) {
  make({.frames = 40, .points = 220, .noise_px = 0.25});
  const SolutionPtr good = solved();
  auto worse = std::make_shared<Solution>(*good);
  int spoilt = 0;
  for (std::size_t t = 0; t < worse->tracks.size() && spoilt < 12; ++t) {
    SolvedTrack& track = worse->tracks[t];
    if (track.state != TrackState::Kept || track.holdout || track.life < 20) continue;
    ++spoilt;
    for (std::size_t i = 0; i < track.errors.size(); ++i) {
      shot.tracks.tracks[t].observations[i].position += Vec2(0.06 * static_cast<double>(i), 0);
      track.errors[i].error_px = (track.errors[i].reprojected - shot.tracks.tracks[t].observations[i].position).norm();
    }
  }
  EXPECT_FALSE(asking(advice(worse), AdviceAction::SetAside));
}

TEST_F(AdviceTest, FramesThatHangOnFewTracksAreNamed) {
  SyntheticPlan plan{.frames = 40, .points = 130, .noise_px = 0.25};
  plan.gap_from = 18, plan.gap_frames = 5;
  make(plan);
  const SolutionPtr before = solved();
  const auto all = advice(before);
  int thin = 0;
  for (const SolvedFrame& f : before->frames) thin += f.placed && f.tracks < 20;
  ASSERT_GT(thin, 0);
  ASSERT_FALSE(all.empty());
  EXPECT_EQ(all.back().action, AdviceAction::AddTracks);
  ASSERT_TRUE(all.back().frames);
  EXPECT_GE(all.back().frames->first, 18);
  EXPECT_LE(all.back().frames->last, 25);
  EXPECT_FALSE(takeAdvice(document, *before, all.back())) << "where they are to be is for the artist to say";
}

}  // namespace dusky::testing
