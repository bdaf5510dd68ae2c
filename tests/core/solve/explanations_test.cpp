// The right explanation is found with nothing said: zooms on a tripod and on a walk, rolling shutters, and none of them where there is none.
#include <gmock/gmock.h>
#include <gtest/gtest.h>

#include "core/base/random.h"
#include "core/solve/solve_shot.h"
#include "tests/core/solve/explained_plans.h"
#include "tests/support/judge_by_truth.h"
#include "tests/support/random_shot.h"

namespace dusky::testing {

using ::testing::HasSubstr;

SolutionPtr solvedOf(const SyntheticShot& shot, const SolveOptions& options = {}) {
  const auto solved = solveShot(shot.tracks, options, {});
  EXPECT_TRUE(solved.ok()) << (solved.ok() ? "" : solved.error().message);
  return solved.ok() ? *solved : std::make_shared<Solution>();
}

double slipOf(const SyntheticShot& shot, const Solution& solution) {
  const auto truth = judgeByTruth(shot, solution);
  return truth.ok() ? truth->slip_rms_px : 1e9;
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

TEST(Explanations, BeforeAFlatWallAZoomIsFoundWhereThereIsOneOnly) {
  // Two of bench/trust_study's: a zoom of 1.38, that one focal length fits nearly to the noise; and none, but tracks that slide and look like one.
  for (const auto& [seed, zooms] : {std::pair(40114, true), std::pair(60221, false)}) {
    const SyntheticShot shot = makeSyntheticShot(randomShot(static_cast<std::uint64_t>(seed)).plan);
    const SolutionPtr s = solvedOf(shot);
    EXPECT_EQ(s->zooms(), zooms) << s->motion_why;
    EXPECT_LT(slipOf(shot, *s), 1);
  }
}

TEST(Explanations, NothingIsClaimedThatIsNotThere) {
  for (std::uint64_t seed = 31; seed < 33; ++seed) {
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
  for (std::uint64_t seed = 61; seed < 63; ++seed) {
    SyntheticPlan plan = tripod(seed);
    plan.noise_px = 0.1, plan.slide_share = 0.2, plan.slide_px = 1.5;
    const SyntheticShot shot = makeSyntheticShot(plan);
    const SolutionPtr s = solvedOf(shot);
    EXPECT_EQ(s->motion, MotionKind::Nodal) << s->motion_why;
    EXPECT_LT(slipOf(shot, *s), 1);
  }
}

TEST(Explanations, AZoomDoesNotRunOffToEndlessFocalLengths) {
  for (std::uint64_t seed = 71; seed < 73; ++seed) {
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

TEST(Explanations, ShortLivesDoNotSpeakForACameraThatOnlyTurns) {
  const SyntheticShot shot = makeSyntheticShot(randomShot(100025).plan);  // past a wall: a camera that turns about a pivot and zooms has fewer unknowns
  EXPECT_LT(slipOf(shot, *solvedOf(shot)), 2) << "it was 5";
}

TEST(Explanations, SightingsLeftOutOnTheWayLeadOnAlongALongValley) {
  const RandomShot random = randomShot(97001);  // a wall before a zoom: a tenth of its sightings was left out where the solve stood
  const SyntheticShot shot = makeSyntheticShot(random.plan);
  EXPECT_LT(slipOf(shot, *solvedOf(shot)), 4 * random.plan.noise_px);
}

TEST(Explanations, FramesThatWentAstrayBendNoLens) {
  const SyntheticShot shot = makeSyntheticShot(randomShot(92082).plan);  // a zoom under a rolling shutter, whose focal length ran away with a few cameras
  EXPECT_LT(slipOf(shot, *solvedOf(shot)), 1);
}

TEST(Explanations, AZoomAgainstTheCamerasWayIsFollowedPastABreak) {
  const SyntheticShot shot = makeSyntheticShot(randomShot(98043).plan);  // beyond a few lost frames the camera went backwards, without a zoom
  EXPECT_LT(slipOf(shot, *solvedOf(shot)), 2) << "it was 69; the best that can be made of its tracks is 0.85";
}

}  // namespace dusky::testing
