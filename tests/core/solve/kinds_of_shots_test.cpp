// Kinds of camera motion and of lens, on tracks without pictures whose truth is known.
#include <gmock/gmock.h>
#include <gtest/gtest.h>

#include "core/solve/solve_shot.h"
#include "core/review/sweep.h"
#include "tests/support/synthetic_shot.h"

namespace dusky::testing {
using ::testing::HasSubstr;
using ::testing::SizeIs;

const Eigen::Quaterniond kLevel(0, 1, 0, 0);  // looks along -Z, upright

SyntheticPlan walk(int frames) { return {.frames = frames, .points = 320, .noise_px = 0.2, .life = 26}; }

/// Turning by 60 degrees on the spot.
Pose tripod(int index) {
  return {(rotationFromVector(Vec3(0, 0.5 - index * 1.047 / 39, 0)) * rotationFromVector(Vec3(0.06 * std::sin(0.2 * index), 0, 0)) * kLevel).normalized(),
          Vec3(0, 1.6, 0)};
}

TEST(KindsOfShots, ACameraThatOnlyTurnsIsRecognised) {
  SyntheticPlan plan = walk(40);
  plan.path = tripod, plan.life = 0;
  const SyntheticShot shot = makeSyntheticShot(plan);
  const auto solved = solveShot(shot.tracks, {}, {});
  ASSERT_TRUE(solved.ok()) << solved.error().message;
  const Solution& s = **solved;
  EXPECT_EQ(s.motion, MotionKind::Nodal);
  EXPECT_THAT(s.motion_why, HasSubstr("only rotates"));
  EXPECT_EQ(s.placedFrames(), 40);
  EXPECT_LT(worstTurn_deg(shot, s), 0.05);
  EXPECT_NEAR(s.lens().focal_px, 1100, 5.5);
  for (const SolvedFrame& frame : s.frames) EXPECT_LT(frame.pose.centre.norm(), 1e-9);
  for (const SolvedTrack& track : s.tracks) {
    if (track.state == TrackState::Kept) EXPECT_TRUE(track.at_infinity);
  }
  const auto refused = solveShot(shot.tracks, {.motion = CameraMotion::Free}, {});
  if (refused.ok()) EXPECT_EQ((*refused)->motion, MotionKind::Free) << "the artist's word stands";
}

TEST(KindsOfShots, AMovingCameraIsNotTakenForATripod) {
  SyntheticPlan plan = walk(30);
  plan.step = 0.01;  // hardly any parallax
  const auto solved = solveShot(makeSyntheticShot(plan).tracks, {}, {});
  ASSERT_TRUE(solved.ok()) << solved.error().message;
  EXPECT_EQ((*solved)->motion, MotionKind::Free);
  EXPECT_THAT((*solved)->motion_why, HasSubstr("moves"));
}

TEST(KindsOfShots, AStretchThatOnlyTurnsIsSolvedThroughAndNamed) {
  const SyntheticShot shot = makeSyntheticShot(rotatingFrom(60, 29));
  const auto solved = solveShot(shot.tracks, {}, {});
  ASSERT_TRUE(solved.ok()) << solved.error().message;
  const Solution& s = **solved;
  EXPECT_EQ(s.placedFrames(), 60);
  EXPECT_LT(worstTurn_deg(shot, s), 0.2);
  int far = 0;
  for (const SolvedTrack& track : s.tracks) far += track.at_infinity && track.state == TrackState::Kept;
  EXPECT_GT(far, 20) << "what is seen only while it turns has no depth";
}

TEST(KindsOfShots, AZoomHasAFocalLengthForEveryFrameAlsoWhenNothingIsSaid) {
  SyntheticPlan plan = walk(40);
  plan.life = 0, plan.noise_px = 0.1;
  plan.focal_px = [](int index) { return index < 10 ? 900.0 : index > 30 ? 1500.0 : 900 * std::pow(1500.0 / 900, (index - 10) / 20.0); };
  const SyntheticShot shot = makeSyntheticShot(plan);
  for (const FocalKnowledge said : {FocalKnowledge::Zoom, FocalKnowledge::Unknown}) {
    const auto solved = solveShot(shot.tracks, {.focal = said}, {});
    ASSERT_TRUE(solved.ok()) << solved.error().message;
    ASSERT_TRUE((*solved)->zooms());
    for (const SolvedFrame& frame : (*solved)->frames) {
      EXPECT_NEAR(frame.focal_px / plan.focal_px(frame.frame - 1), 1, 0.015) << frame.frame;
      EXPECT_GT(frame.sigma_focal_px, 0);
    }
    EXPECT_LT(pathError(shot, **solved), 0.06);
  }
}

TEST(KindsOfShots, ASnapZoomIsFollowed) {
  SyntheticPlan plan = walk(30);
  plan.life = 0, plan.noise_px = 0.1;
  plan.focal_px = [](int index) { return index < 15 ? 1000.0 : 1250.0; };
  const auto solved = solveShot(makeSyntheticShot(plan).tracks, {.focal = FocalKnowledge::Zoom}, {});
  ASSERT_TRUE(solved.ok()) << solved.error().message;
  const auto& frames = (*solved)->frames;
  EXPECT_NEAR(frames[15].focal_px / frames[14].focal_px, 1.25, 0.01);
  EXPECT_NEAR(frames[14].focal_px / frames[5].focal_px, 1, 0.002) << "before it one value";
}

TEST(KindsOfShots, FisheyeAndAnamorphicArePickedWhenTheTracksBearThemOut) {
  SyntheticPlan wide = walk(30);
  wide.life = 0;
  wide.lens = Lens::simple(1280, 720, 640 / (75 * M_PI / 180), LensModel::Fisheye);
  SyntheticPlan squeezed = wide;
  squeezed.lens = Lens::simple(1280, 720, 800, LensModel::Anamorphic);
  squeezed.lens.coefficients = {2.0, 0.004, -0.05, -0.02, 0, 0, 0, -0.02, -0.06};
  for (const SyntheticPlan& plan : {wide, squeezed}) {
    const SyntheticShot shot = makeSyntheticShot(plan);
    const auto solved = solveShot(shot.tracks, {}, {});
    ASSERT_TRUE(solved.ok()) << solved.error().message;
    EXPECT_EQ((*solved)->lens().model, plan.lens.model) << describe(plan.lens.model);
    EXPECT_NEAR((*solved)->lens().focal_px / plan.lens.focal_px, 1, 0.02);
    EXPECT_LT((*solved)->rms_px, 0.5);
  }
}

TEST(KindsOfShots, ALoadedLensIsLocked) {
  const SyntheticShot shot = makeSyntheticShot(walk(30));
  Lens lens = shot.plan.lens;
  lens.cx_px += 3;
  const auto solved = solveShot(shot.tracks, {.known_lens = lens}, {});
  ASSERT_TRUE(solved.ok()) << solved.error().message;
  EXPECT_EQ((*solved)->lens(), lens);
}

TEST(KindsOfShots, ARollingShutterIsFoundWhereTheCameraMovesEnough) {
  SyntheticPlan plan = walk(40);
  plan.life = 0, plan.noise_px = 0.1, plan.readout = 0.45;
  const SyntheticShot shot = makeSyntheticShot(plan);
  const auto ignored = solveShot(shot.tracks, {.auto_readout = false}, {});
  const auto found = solveShot(shot.tracks, {.readout = 0.2, .free_readout = true}, {});
  ASSERT_TRUE(ignored.ok() && found.ok());
  EXPECT_NEAR((*found)->readout, 0.45, 0.05);
  EXPECT_LT((*found)->rms_px, 0.9 * (*ignored)->rms_px);
  EXPECT_LT(pathError(shot, **found), pathError(shot, **ignored));
}

TEST(KindsOfShots, ARailHoldsThePathToALine) {
  SyntheticPlan plan = walk(40);
  plan.noise_px = 0.5;
  plan.path = [](int index) {
    return Pose{(rotationFromVector(Vec3(0.01 * std::sin(0.4 * index), -0.01 * index + 0.1, 0)) * kLevel).normalized(), Vec3(0.1 * index, 1.6, -0.04 * index)};
  };
  const SyntheticShot shot = makeSyntheticShot(plan);
  const auto free = solveShot(shot.tracks, {.motion = CameraMotion::Free}, {}), rail = solveShot(shot.tracks, {.motion = CameraMotion::Rail}, {});
  ASSERT_TRUE(free.ok() && rail.ok());
  EXPECT_EQ((*rail)->motion, MotionKind::Rail);
  EXPECT_LT(pathError(shot, **rail), pathError(shot, **free)) << "what is known helps";
}

TEST(KindsOfShots, AutoFindsARailAndAPlaneAndLeavesAHandHeldPathFree) {
  const auto shotOn = [](const std::function<Vec3(double)>& path) {
    SyntheticPlan plan{.frames = 60, .points = 500, .noise_px = 0.3, .life = 30};
    plan.path = [path](int index) {
      const double t = index;
      const Vec3 turn(0.02 * std::sin(0.3 * t), -0.008 * t + 0.1, 0.01 * std::sin(0.2 * t));
      return Pose{(rotationFromVector(turn) * kLevel).normalized(), path(t)};
    };
    return makeSyntheticShot(plan);
  };
  const auto rail = shotOn([](double t) { return Vec3(0.09 * t, 1.6 + 0.01 * t, -0.03 * t); });
  const auto flat = shotOn([](double t) { return Vec3(0.09 * t, 1.6, 1.2 * std::sin(0.06 * t)); });
  const auto hand = shotOn([](double t) { return Vec3(0.09 * t, 1.6 + 0.02 * std::sin(0.9 * t), 0.02 * std::sin(0.7 * t)); });
  const auto on_rail = solveShot(rail.tracks, {}, {}), in_plane = solveShot(flat.tracks, {}, {}), free = solveShot(hand.tracks, {}, {});
  ASSERT_TRUE(on_rail.ok() && in_plane.ok() && free.ok());
  EXPECT_EQ((*on_rail)->motion, MotionKind::Rail) << (*on_rail)->motion_why;
  EXPECT_THAT((*on_rail)->path_why, HasSubstr("straight"));
  EXPECT_EQ((*in_plane)->motion, MotionKind::Flat) << (*in_plane)->motion_why;
  EXPECT_EQ((*free)->motion, MotionKind::Free) << (*free)->motion_why;
  const auto as_free = solveShot(rail.tracks, {.motion = CameraMotion::Free}, {});
  ASSERT_TRUE(as_free.ok());
  EXPECT_LT(pathError(rail, **on_rail), pathError(rail, **as_free));
}

TEST(KindsOfShots, TwoCamerasHaveTwoLenses) {
  SyntheticPlan plan = walk(40);
  plan.life = 0, plan.noise_px = 0.15;
  plan.focal_px = [](int index) { return index % 2 ? 1300.0 : 1000.0; };
  SolveOptions options;
  for (int i = 0; i < 40; ++i) options.camera_of.push_back(i % 2);
  const auto solved = solveShot(makeSyntheticShot(plan).tracks, options, {});
  ASSERT_TRUE(solved.ok()) << solved.error().message;
  ASSERT_THAT((*solved)->cameras, SizeIs(2));
  EXPECT_NEAR((*solved)->cameras[0].lens.focal_px, 1000, 20);
  EXPECT_NEAR((*solved)->cameras[1].lens.focal_px, 1300, 26);
  EXPECT_EQ((*solved)->frames[7].camera, 1);
}

TEST(CarryOn, GoesOnFromWhatIsThereAndFindsTheMissingFrames) {
  const SyntheticShot shot = makeSyntheticShot(walk(40));
  const auto first = solveShot(shot.tracks, {}, {});
  ASSERT_TRUE(first.ok());
  Solution holes = **first;
  for (const int f : {12, 13, 30}) holes.frames[f].placed = false;
  const auto on = solveShot(shot.tracks, {.set_aside = {4, 9}}, {}, {}, std::make_shared<Solution>(holes));
  ASSERT_TRUE(on.ok()) << on.error().message;
  EXPECT_EQ((*on)->placedFrames(), 40);
  EXPECT_EQ((*on)->find(4)->reason, AsideReason::ByArtist);
  EXPECT_NEAR((*on)->lens().focal_px, (*first)->lens().focal_px, 3);
  EXPECT_EQ((*on)->staircase.size(), (*first)->staircase.size()) << "the lens stays released as it was";
}

SweepOptions over(const char* parameter, double from, double to, int points = 17) {
  SweepOptions options;
  options.first.parameter = parameter;
  options.first.from = from, options.first.to = to, options.first.points = points;
  return options;
}

TEST(Sweep, FindsAClearValleyWhereTheTruthIs) {
  SyntheticPlan plan = walk(30);
  plan.life = 0;
  const SyntheticShot shot = makeSyntheticShot(plan);
  const auto solved = solveShot(shot.tracks, {}, {});
  ASSERT_TRUE(solved.ok());
  int heard = 0;
  const auto result = sweep(shot.tracks, {}, **solved, over("focal_px", 900, 1300, 9), {}, [&](const SweepPoint&) { ++heard; });
  ASSERT_TRUE(result.ok()) << result.error().message;
  EXPECT_EQ(result->verdict, SweepVerdict::Clear) << result->sentence;
  EXPECT_NEAR(result->best, 1100, 4 * result->sigma);
  EXPECT_LT(result->sigma, 10);
  EXPECT_EQ(heard, static_cast<int>(result->points.size()));
  EXPECT_GT(result->points.size(), 12u) << "refined about the valley";
  SweepOptions both = over("focal_px", 1000, 1200, 5);
  both.second = over("k1", -0.1, 0.1, 5).first;
  const auto grid = sweep(shot.tracks, {}, **solved, both, {});
  ASSERT_TRUE(grid.ok());
  EXPECT_THAT(grid->points, SizeIs(25));
  EXPECT_NEAR(grid->best, 1100, 1);
  EXPECT_NEAR(grid->best_second, 0, 1e-9);
}

TEST(Sweep, SaysWhatCurvesMean) {
  const auto verdict = [](const std::function<double(double)>& apart) {
    std::vector<SweepPoint> points;
    for (int i = 0; i <= 20; ++i) points.push_back({.value = i * 1.0, .rms_px = apart(i), .cost_px2 = apart(i), .chi_squared = apart(i)});
    return judgeSweep(points, "k1");
  };
  const SweepResult clear = verdict([](double x) { return (x - 8.3) * (x - 8.3); });
  EXPECT_EQ(clear.verdict, SweepVerdict::Clear);
  EXPECT_NEAR(clear.best, 8.3, 1e-6);
  EXPECT_NEAR(clear.sigma, 1, 1e-6);
  EXPECT_EQ(verdict([](double x) { return 0.02 * (x - 9) * (x - 9); }).verdict, SweepVerdict::Flat);
  const SweepResult two = verdict([](double x) { return 30 * std::pow(std::sin(x * M_PI / 10), 2) + 0.1 * std::abs(x - 10); });
  EXPECT_EQ(two.verdict, SweepVerdict::Several) << two.sentence;
  EXPECT_EQ(verdict([](double x) { return 3 * x; }).verdict, SweepVerdict::Beyond);
}

TEST(Sweep, RefusesWhatTheLensHasNot) {
  const SyntheticShot shot = makeSyntheticShot(walk(20));
  const Solution solution = perfectSolution(shot);
  EXPECT_THAT(sweep(shot.tracks, {}, solution, over("squeeze", 1, 2), {}).error().message, HasSubstr("squeeze"));
  EXPECT_THAT(sweep(shot.tracks, {}, solution, over("focal_px", 900, 800), {}).error().message, HasSubstr("must rise"));
}

}  // namespace dusky::testing
