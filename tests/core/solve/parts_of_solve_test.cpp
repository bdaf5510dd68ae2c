// Reconstruction, staircase and uncertainty, each on its own.
#include <gmock/gmock.h>
#include <gtest/gtest.h>

#include <cmath>

#include "core/base/random.h"
#include "core/solve/sort_out.h"
#include "core/solve/staircase.h"
#include "core/adjust/uncertainty.h"
#include "tests/support/synthetic_shot.h"

namespace dusky::testing {

TEST(MakeReconstruction, DrawsTheHoldoutByTrackNotByOrder) {
  const SyntheticShot shot = makeSyntheticShot({.frames = 5, .points = 400});
  const Reconstruction all = makeReconstruction(shot.tracks, {}, 0.1, 7);
  TrackSet fewer = shot.tracks;
  fewer.tracks.erase(fewer.tracks.begin(), fewer.tracks.begin() + 100);
  const Reconstruction some = makeReconstruction(fewer, {}, 0.1, 7);
  int drawn = 0;
  for (std::size_t t = 0; t < some.tracks.size(); ++t) {
    EXPECT_EQ(some.tracks[t].holdout, all.tracks[t + 100].holdout) << "leaving tracks out must not change who judges";
    drawn += some.tracks[t].holdout;
  }
  EXPECT_NEAR(drawn, 30, 4 * std::sqrt(27.0));  // binomial, four sigma
  const Reconstruction other = makeReconstruction(fewer, {}, 0.1, 8);
  int same = 0;
  for (std::size_t t = 0; t < some.tracks.size(); ++t) same += some.tracks[t].holdout == other.tracks[t].holdout;
  EXPECT_LT(same, static_cast<int>(some.tracks.size())) << "another seed, another draw";
}

TEST(MakeBundle, HoldsWhatTakesPartAndComesBack) {
  const SyntheticShot shot = makeSyntheticShot({.frames = 8, .points = 50});
  Reconstruction work = reconstructionAtTruth(shot);
  work.poses[3].reset();
  work.tracks[4].by_artist = true;
  work.tracks[6].reason = AsideReason::HighError;
  work.tracks[9].holdout = true;
  const MappedBundle mapped = makeBundle(work);
  EXPECT_EQ(mapped.bundle.cameras.size(), 7u);
  EXPECT_EQ(mapped.camera_frame[3], 4);
  EXPECT_EQ(mapped.bundle.points.size(), work.tracks.size() - 3);
  for (int t : mapped.point_track) EXPECT_TRUE(work.tracks[t].takesPart());
  for (std::size_t i = 1; i < mapped.bundle.observations.size(); ++i) EXPECT_LE(mapped.bundle.observations[i - 1].point, mapped.bundle.observations[i].point);
}

TEST(ErrorSpread, IsTheNoisesSigma) {
  const SyntheticShot shot = makeSyntheticShot({.frames = 20, .points = 300, .noise_px = 0.35});
  EXPECT_NEAR(errorSpread(reconstructionAtTruth(shot)), 0.35, 0.35 * 0.04);  // about 4000 sightings
  EXPECT_TRUE(std::isnan(errorSpread(Reconstruction{})));
}

/// A staircase that begins with the focal length free.
StaircaseOptions fromTheFocalLength() {
  StaircaseOptions options;
  options.base.free_lens[0] = true;
  return options;
}

LensFreedom climb(const SyntheticShot& shot, std::vector<StaircaseStep>& steps, StaircaseOptions options = fromTheFocalLength()) {
  Reconstruction work = reconstructionAtTruth(shot, 0.15);
  work.lenses = {Lens::simple(shot.plan.lens.width, shot.plan.lens.height, 1.03 * shot.plan.lens.focal_px)};
  return climbStaircase(work, options, steps, {});
}

TEST(Staircase, ReleasesOnlyWhatItMay) {
  SyntheticPlan plan{.frames = 12, .points = 200, .noise_px = 0.2};
  plan.lens.k1() = -0.12;
  const SyntheticShot shot = makeSyntheticShot(plan);
  std::vector<StaircaseStep> steps;
  const LensFreedom free = climb(shot, steps);
  EXPECT_TRUE(free[0] && free[3]);
  EXPECT_EQ(steps.front().released, "focal length");
  steps.clear();
  const LensFreedom locked = climb(shot, steps, {.base = {}, .climbs = false});
  EXPECT_EQ(std::count(locked.begin(), locked.end(), true), 0);
  EXPECT_EQ(steps.size(), 1u);
}

TEST(Staircase, AParameterThatDoesNotHelpIsTakenBack) {
  const SyntheticShot shot = makeSyntheticShot({.frames = 12, .points = 200, .noise_px = 0.3});  // no distortion at all
  std::vector<StaircaseStep> steps;
  const LensFreedom freedom = climb(shot, steps);
  EXPECT_FALSE(freedom[4] || freedom[5] || freedom[6]);
  for (std::size_t i = 1; i < steps.size(); ++i) {
    EXPECT_EQ(steps[i].kept, steps[i].released == "principal point" || steps[i].released == "k1") << steps[i].released << ": " << steps[i].why;
    EXPECT_FALSE(steps[i].why.empty());
    EXPECT_NEAR(steps[i].rms_before_px, steps[0].rms_px, 1e-3) << "each is judged against what stood before it";
  }
}

TEST(Staircase, TheArtistsWordStands) {
  SyntheticPlan plan{.frames = 12, .points = 200, .noise_px = 0.2};
  plan.lens.k1() = -0.12;
  const SyntheticShot shot = makeSyntheticShot(plan);
  std::vector<StaircaseStep> steps;
  StaircaseOptions forced = fromTheFocalLength();
  forced.releases = {{"k1", Release::Off}, {"decentring", Release::On}};
  const LensFreedom freedom = climb(shot, steps, forced);
  EXPECT_FALSE(freedom[3]);
  EXPECT_TRUE(freedom[6] && freedom[7]);
  EXPECT_TRUE(std::none_of(steps.begin(), steps.end(), [](const StaircaseStep& s) { return s.released == "k1"; }));
}

TEST(CameraUncertainty, SaysHowFarCamerasReallyScatter) {
  // Many noise draws of one shot: the spread of the solved centres against the standard deviation each solve claims.
  constexpr int kDraws = 40;
  std::vector<Vec3> centres;
  double claimed = 0;
  for (int draw = 0; draw < kDraws; ++draw) {
    SyntheticShot shot = makeSyntheticShot({.frames = 8, .points = 80});
    Random random(500 + draw);
    for (Track& track : shot.tracks.tracks) {
      for (Observation& o : track.observations) o.position += 0.4 * Vec2(random.normal(), random.normal());
    }
    Reconstruction work = reconstructionAtTruth(shot);
    const BundleOptions options{.loss_px = 50, .max_steps = 40, .settled = 1e-10};
    adjustReconstruction(work, options, {});
    const CameraUncertainty sigma = cameraUncertainty(makeBundle(work).bundle, options);
    // The world itself is free: measure one camera against the path, in the gauge of the truth.
    Vec3 mean_solved = Vec3::Zero(), mean_true = Vec3::Zero();
    for (std::size_t f = 0; f < shot.poses.size(); ++f) mean_solved += work.poses[f]->centre / 8, mean_true += shot.poses[f].centre / 8;
    centres.push_back(work.poses[4]->centre - mean_solved - (shot.poses[4].centre - mean_true));
    claimed += sigma.centre[4] / kDraws;
  }
  double squares = 0;
  for (const Vec3& c : centres) squares += c.squaredNorm() / 3;
  const double spread = std::sqrt(squares / kDraws);
  EXPECT_GT(claimed, 0.4 * spread);
  EXPECT_LT(claimed, 2.5 * spread);
}

TEST(CameraUncertainty, SightingsThatGoTogetherCountLess) {
  const auto sigmaOf = [](bool together) {
    SyntheticShot shot = makeSyntheticShot({.frames = 40, .points = 160});
    Random random(9);
    for (Track& track : shot.tracks.tracks) {
      Vec2 drift = 0.3 * Vec2(random.normal(), random.normal());
      for (Observation& o : track.observations) {
        // The same size of error either way: drawn anew in each frame, or wandering slowly along the track.
        const Vec2 fresh = 0.3 * Vec2(random.normal(), random.normal());
        drift = 0.7 * drift + std::sqrt(1 - 0.49) * fresh;
        o.position += together ? drift : fresh;
      }
    }
    Reconstruction work = reconstructionAtTruth(shot);
    const BundleOptions options{.free_lens = {true}, .loss_px = 50, .max_steps = 40, .settled = 1e-9};
    adjustReconstruction(work, options, {});
    return cameraUncertainty(makeBundle(work).bundle, options).lens[0][0];
  };
  EXPECT_GT(sigmaOf(true), 1.2 * sigmaOf(false));
}

TEST(CameraUncertainty, IsUnknownForOneCamera) {
  Bundle bundle;
  bundle.cameras.resize(1);
  bundle.lenses[0] = Lens::simple(640, 480, 500);
  EXPECT_TRUE(std::isnan(cameraUncertainty(bundle, {}).centre[0]));
}

TEST(Solution, CountsAndFinds) {
  const Solution solution = perfectSolution(makeSyntheticShot({.frames = 6, .points = 20, .first_frame = 11}));
  EXPECT_EQ(solution.placedFrames(), 6);
  EXPECT_EQ(solution.frameAt(13)->frame, 13);
  EXPECT_EQ(solution.frameAt(10), nullptr);
  EXPECT_EQ(solution.frameAt(17), nullptr);
  EXPECT_EQ(solution.find(solution.tracks[3].id), &solution.tracks[3]);
  EXPECT_EQ(solution.find(-1), nullptr);
  for (auto reason : {AsideReason::ByArtist, AsideReason::HighError, AsideReason::FewGoodFrames, AsideReason::NoParallax, AsideReason::Slides}) {
    EXPECT_FALSE(describe(reason).empty());
  }
}
}  // namespace dusky::testing
