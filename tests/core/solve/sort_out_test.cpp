// Which sightings and tracks hold a camera: what slides is set aside, and frames that are off as a whole can come back.
#include "core/solve/sort_out.h"

#include <gtest/gtest.h>

#include <cmath>

#include "core/review/reviewed_solve.h"
#include "core/review/verdict.h"
#include "tests/support/judge_by_truth.h"
#include "tests/support/random_shot.h"

namespace dusky::testing {

int asideAs(const Reconstruction& work, AsideReason reason) {
  return static_cast<int>(std::count_if(work.tracks.begin(), work.tracks.end(), [&](const WorkTrack& track) { return track.reason == reason; }));
}

TEST(Sliders, AreSetAsideAndNothingElse) {
  SyntheticPlan plan{.frames = 40, .points = 200, .noise_px = 0.15, .seed = 5, .slide_share = 0.15, .slide_px = 1.2};
  const SyntheticShot shot = makeSyntheticShot(plan);
  Reconstruction work = reconstructionAtTruth(shot);
  sortOut(work, {.tolerance_px = 4});
  EXPECT_EQ(asideAs(work, AsideReason::None), static_cast<int>(work.tracks.size())) << "they stay within any tolerance";
  setSlidersAside(work);
  int sliding = 0, found = 0, wrongly = 0;
  for (const WorkTrack& track : work.tracks) {
    const bool slides = shot.outlier[static_cast<std::size_t>(track.id - 1)] && track.observations.size() >= 20;
    sliding += slides, found += slides && track.reason == AsideReason::Slides;
    wrongly += !shot.outlier[static_cast<std::size_t>(track.id - 1)] && track.reason == AsideReason::Slides;
  }
  EXPECT_GT(sliding, 10);
  EXPECT_GE(found, 0.8 * sliding) << "along its ray's lines one may hide in its depth";
  EXPECT_EQ(wrongly, 0);
}

TEST(Sliders, ACameraThatIsOffTakesNoTracksWithIt) {
  const SyntheticShot shot = makeSyntheticShot({.frames = 40, .points = 200, .noise_px = 0.15, .seed = 5});
  Reconstruction work = reconstructionAtTruth(shot);
  // Its turn creeps: all errors do.
  for (std::size_t f = 0; f < work.poses.size(); ++f)
    work.poses[f]->world_from_camera = work.poses[f]->world_from_camera * rotationFromVector(Vec3(0, 2e-5 * static_cast<double>(f), 0));
  setSlidersAside(work);
  EXPECT_LT(asideAs(work, AsideReason::Slides), static_cast<int>(work.tracks.size()) / 20);
}

TEST(Sliders, NoLongerBendACrane) {
  const RandomShot random = randomShot(7018);
  ASSERT_GT(random.plan.slide_share, 0.1) << random.text();
  const SyntheticShot shot = makeSyntheticShot(random.plan);
  const auto solved = reviewedSolve(shot.tracks, {}, {});
  ASSERT_TRUE(solved.ok()) << solved.error().message;
  const auto truth = judgeByTruth(shot, **solved);
  ASSERT_TRUE(truth.ok());
  EXPECT_LT(truth->slip_rms_px, 0.3);
}

TEST(FramesThatAreOff, GetAToleranceThatCanBringThemBack) {
  const SyntheticShot shot = makeSyntheticShot({.frames = 20, .points = 200, .noise_px = 0.1, .seed = 5});
  Reconstruction work = reconstructionAtTruth(shot);
  work.poses[7]->world_from_camera = work.poses[7]->world_from_camera * rotationFromVector(Vec3(0, 0.0015, 0));  // 1.6 px
  const Limits strict{.tolerance_px = 0.5}, wide = withFramesOff(work, strict);
  EXPECT_EQ(wide.toleranceIn(6), 0.5);
  EXPECT_GT(wide.toleranceIn(7), 2);
  EXPECT_LE(wide.toleranceIn(7), kRoughLimits.tolerance_px);
  const auto usedIn7 = [&] {
    int used = 0;
    for (const WorkTrack& track : work.tracks) {
      for (const WorkObservation& o : track.observations) used += o.frame_index == 7 && o.used;
    }
    return used;
  };
  sortOut(work, strict);
  EXPECT_EQ(usedIn7(), 0);
  sortOut(work, wide);
  EXPECT_GT(usedIn7(), 50);
}

TEST(FramesThatAreOff, AFastZoomOnATripodPlacesAllOfThem) {
  const RandomShot random = randomShot(7045);
  ASSERT_TRUE(random.kind == "tripod" && random.zoom > 1.5) << random.text();
  const SyntheticShot shot = makeSyntheticShot(random.plan);
  const auto solved = reviewedSolve(shot.tracks, {}, {});
  ASSERT_TRUE(solved.ok()) << solved.error().message;
  EXPECT_EQ((*solved)->motion, MotionKind::Nodal) << (*solved)->motion_why;
  EXPECT_EQ((*solved)->placedFrames(), random.plan.frames);
  const auto truth = judgeByTruth(shot, **solved);
  ASSERT_TRUE(truth.ok());
  EXPECT_LT(truth->slip_rms_px, 0.5);
}

}  // namespace dusky::testing
