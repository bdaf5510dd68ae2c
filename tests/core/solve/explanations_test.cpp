// The right explanation is found with nothing said: zooms on a tripod and on a walk, rolling shutters, and none of them where there is none.
#include <gmock/gmock.h>
#include <gtest/gtest.h>

#include <cmath>

#include "core/base/random.h"
#include "core/solve/description_length.h"
#include "core/solve/noise_floor.h"
#include "core/solve/solve_shot.h"
#include "tests/support/judge_by_truth.h"

namespace dusky::testing {

using ::testing::HasSubstr;

constexpr double kNoise = 0.2;

/// A walk with a hand's shake.
SyntheticPlan walk(std::uint64_t seed) {
  SyntheticPlan plan{.frames = 70, .points = 700, .noise_px = kNoise, .life = 34, .seed = seed};
  plan.path = [](int i) {
    const Pose on = walkingOn(i, 0.07);
    return Pose{on.world_from_camera * rotationFromVector(0.008 * Vec3(std::sin(0.9 * i), std::cos(1.3 * i), std::sin(0.7 * i))), on.centre};
  };
  plan.lens.k1() = -0.05;
  return plan;
}

SyntheticPlan tripod(std::uint64_t seed) {
  SyntheticPlan plan{.frames = 70, .points = 700, .noise_px = kNoise, .life = 34, .seed = seed};
  plan.path = [](int i) { return Pose{(rotationFromVector(Vec3(0, 0.35 - 0.01 * i, 0)) * Eigen::Quaterniond(0, 1, 0, 0)).normalized(), Vec3(0, 1.6, 0)}; };
  return plan;
}

std::function<double(int)> zoomIn(double from, double to, int frames) {
  return [=](int i) {
    const double t = std::clamp((i - 10) / (frames - 20.0), 0.0, 1.0);
    return from * std::pow(to / from, t * t * (3 - 2 * t));
  };
}

SolutionPtr solvedOf(const SyntheticShot& shot, const SolveOptions& options = {}) {
  const auto solved = solveShot(shot.tracks, options, {});
  EXPECT_TRUE(solved.ok()) << (solved.ok() ? "" : solved.error().message);
  return solved.ok() ? *solved : std::make_shared<Solution>();
}

double slipOf(const SyntheticShot& shot, const Solution& solution) {
  const auto truth = judgeByTruth(shot, solution);
  return truth.ok() ? truth->slip_rms_px : 1e9;
}

TEST(NoiseFloor, IsTheNoiseWhateverTheCameraDoes) {
  SyntheticPlan zooming = walk(1), rolling = walk(2), littered = walk(3);
  zooming.focal_px = zoomIn(900, 1700, zooming.frames);
  rolling.readout = 0.35;
  littered.outlier_share = 0.2, littered.mover_share = 0.15;
  littered.mover = [](int i) { return Pose{Eigen::Quaterniond::Identity(), Vec3(0.02 * i, 0, 0)}; };
  for (const SyntheticPlan& plan : {walk(4), tripod(5), zooming, rolling, littered})
    EXPECT_NEAR(noiseFloor(makeSyntheticShot(plan).tracks), kNoise, 0.25 * kNoise);
}

TEST(NoiseFloor, IsUnknownForTooFewTracks) {
  SyntheticPlan plan = walk(1);
  plan.points = 15;
  EXPECT_TRUE(std::isnan(noiseFloor(makeSyntheticShot(plan).tracks)));
}

TEST(Explanations, AZoomIsFoundOnAWalkAndOnATripod) {
  SyntheticPlan walking = walk(11), turning = tripod(12);
  walking.focal_px = zoomIn(900, 1700, walking.frames), turning.focal_px = zoomIn(800, 1300, turning.frames);
  for (const SyntheticPlan& plan : {walking, turning}) {
    const SyntheticShot shot = makeSyntheticShot(plan);
    const SolutionPtr s = solvedOf(shot);
    ASSERT_TRUE(s->zooms()) << s->motion_why;
    EXPECT_THAT(s->motion_why, HasSubstr("focal length changes"));
    EXPECT_LT(slipOf(shot, *s), 1);
    EXPECT_GT(s->keptTracks(), 0.95 * 0.9 * static_cast<double>(shot.tracks.tracks.size())) << "none thrown out to make it fit";
  }
}

TEST(Explanations, ARollingShutterIsFound) {
  for (const double readout : {0.3, -0.25}) {
    SyntheticPlan plan = walk(21);
    plan.readout = readout;
    const SyntheticShot shot = makeSyntheticShot(plan);
    const SolutionPtr s = solvedOf(shot);
    EXPECT_NEAR(s->readout, readout, 0.02);
    EXPECT_THAT(s->motion_why, HasSubstr("shutter rolls"));
    EXPECT_LT(slipOf(shot, *s), 1);
    EXPECT_EQ(solvedOf(shot, {.auto_readout = false})->readout, 0) << "a global shutter, for certain";
  }
}

TEST(Explanations, NothingIsClaimedThatIsNotThere) {
  for (std::uint64_t seed = 31; seed < 35; ++seed) {
    const SyntheticShot walked = makeSyntheticShot(walk(seed)), turned = makeSyntheticShot(tripod(seed));
    const SolutionPtr on_foot = solvedOf(walked), on_tripod = solvedOf(turned);
    EXPECT_FALSE(on_foot->zooms() || on_tripod->zooms());
    EXPECT_EQ(on_foot->readout, 0);
    EXPECT_EQ(on_foot->motion, MotionKind::Free);
    EXPECT_EQ(on_tripod->motion, MotionKind::Nodal);
    EXPECT_LT(slipOf(walked, *on_foot), 1);
  }
}

TEST(Explanations, SlidingTracksMoveNoTripod) {
  // Each slides in a direction of its own: with depths to suit, a free path would take many of them in.
  for (std::uint64_t seed = 61; seed < 64; ++seed) {
    SyntheticPlan plan = tripod(seed);
    plan.noise_px = 0.1, plan.slide_share = 0.2, plan.slide_px = 1.5;
    const SyntheticShot shot = makeSyntheticShot(plan);
    const SolutionPtr s = solvedOf(shot);
    EXPECT_EQ(s->motion, MotionKind::Nodal) << s->motion_why;
    EXPECT_LT(slipOf(shot, *s), 1);
  }
}

TEST(Explanations, AZoomDoesNotRunOffToEndlessFocalLengths) {
  for (std::uint64_t seed = 71; seed < 74; ++seed) {
    SyntheticPlan plan{.frames = 60, .points = 500, .noise_px = 0.1, .life = 40, .seed = seed};
    auto random = std::make_shared<Random>(seed);
    plan.set = [random](const Vec3& from, const Vec3& ray) -> std::optional<Vec3> { return Vec3(from + random->between(2, 10) * ray.normalized()); };
    plan.path = [](int i) { return Pose{walkingOn(i, 0.001).world_from_camera, Vec3(0.004 * i, 1.5, -0.003 * i)}; };
    plan.focal_px = zoomIn(1500, 750, plan.frames);
    const SyntheticShot shot = makeSyntheticShot(plan);
    const SolutionPtr s = solvedOf(shot);
    ASSERT_TRUE(s->zooms()) << s->motion_why;
    EXPECT_LT(slipOf(shot, *s), 1.5);
  }
}

TEST(Explanations, ALittleDistortionIsNotTakenForFocalLength) {
  // Held at nothing it would bend the focal length by per cents, at an error that looks like noise.
  SyntheticPlan plan{.frames = 70, .points = 900, .noise_px = 0.1, .life = 20, .seed = 41};
  plan.lens = Lens::simple(1280, 720, 1900);
  plan.lens.k1() = 0.013;
  plan.path = [](int i) { return walkingOn(i, 0.06); };
  const SyntheticShot shot = makeSyntheticShot(plan);
  const SolutionPtr s = solvedOf(shot);
  EXPECT_LT(std::abs(s->lens().focal_px - 1900), 3 * s->cameras.front().sigma[0]);
  EXPECT_LT(slipOf(shot, *s), 1);
}

TEST(DescriptionLength, ASlideCostsItsUnknownsAndNotEverySighting) {
  SyntheticPlan plan = tripod(52);
  plan.slide_share = 0.2, plan.slide_px = 3;
  const SyntheticShot still = makeSyntheticShot(tripod(52)), sliding = makeSyntheticShot(plan);
  const auto lengthOf = [](const SyntheticShot& shot) {
    Reconstruction work = makeReconstruction(shot.tracks, {}, 0, 1);
    work.lenses = {shot.plan.lens};
    std::vector<int> frames;
    for (std::size_t f = 0; f < work.poses.size(); ++f) work.poses[f] = shot.poses[f], frames.push_back(static_cast<int>(f));
    return descriptionLength(work, true, frames, kNoise, 1).total();
  };
  const double tracks = 0.2 * static_cast<double>(sliding.tracks.tracks.size());
  EXPECT_GT(lengthOf(sliding), lengthOf(still) + 5 * tracks);
  EXPECT_LT(lengthOf(sliding), lengthOf(still) + 40 * tracks);
}

TEST(DescriptionLength, ThrowingSightingsOutNeverPays) {
  const SyntheticShot shot = makeSyntheticShot(walk(51));
  Reconstruction work = makeReconstruction(shot.tracks, {}, 0, 1);
  work.lenses = {shot.plan.lens};
  std::vector<int> frames;
  for (std::size_t f = 0; f < work.poses.size(); ++f) work.poses[f] = shot.poses[f], frames.push_back(static_cast<int>(f));
  const double whole = descriptionLength(work, false, frames, kNoise).total();
  Reconstruction fewer = work;
  for (std::size_t f = 0; f < fewer.poses.size(); f += 2) fewer.poses[f].reset();
  EXPECT_GT(descriptionLength(fewer, false, frames, kNoise).total(), 1.5 * whole) << "frames without a camera explain nothing";
  Reconstruction bent = work;
  for (std::size_t f = 0; f < bent.poses.size(); ++f) bent.poses[f]->centre.x() += 0.02 * std::sin(0.3 * static_cast<double>(f));
  EXPECT_GT(descriptionLength(bent, false, frames, kNoise).total(), 1.5 * whole);
}

}  // namespace dusky::testing
