// Before a flat wall: from a camera that only looks like the true one to the true one.
#include "core/solve/flat_valleys.h"

#include <gtest/gtest.h>

#include <cmath>

#include "core/solve/flat_set.h"
#include "core/solve/sort_out.h"
#include "tests/support/best_possible.h"

namespace dusky::testing {
namespace {

constexpr double kAway = 6, kNoise = 0.05;

/// A camera before a wall with a little relief that it looks at straight, at z = -kAway.
SyntheticShot beforeAWall(const std::function<Vec3(int)>& centre, const std::function<double(int)>& focal_px = {}) {
  SyntheticPlan plan{.frames = 40, .points = 250, .noise_px = kNoise, .life = 0, .seed = 5};
  plan.path = [centre](int i) { return Pose{Eigen::Quaterniond(0, 1, 0, 0), centre(i)}; };
  plan.set = [](const Vec3& from, const Vec3& ray) {
    const Vec3 hit = from + (-kAway - from.z()) / ray.z() * ray;
    return std::optional<Vec3>(hit + 0.06 * std::sin(7 * hit.x()) * std::cos(5 * hit.y()) * ray / ray.z());
  };
  plan.lens.k1() = 0;
  plan.focal_px = focal_px;
  return makeSyntheticShot(plan);
}

/// A solve that stands where the shot's truth is.
SolveState atTruth(const SyntheticShot& shot) {
  SolveState state = startingState(shot.tracks, {.holdout_share = 0});
  const Bundle truth = bundleAtTruth(shot);
  state.work.lenses = truth.lenses, state.work.focal_px = truth.focal_px;
  for (std::size_t f = 0; f < state.work.poses.size(); ++f) state.work.poses[f] = truth.cameras[f];
  for (WorkTrack& track : state.work.tracks) track.point = shot.points[static_cast<std::size_t>(track.id - 1)];
  state.spread_px = kNoise;
  state.freedom[0] = state.work.focal_px.empty();
  tieZoom(state);
  return state;
}

/// The same picture of the wall by one focal length: the camera goes towards it instead.
SolveState asDolly(SolveState state) {
  const double focal_px = state.work.focal_px.front();
  for (std::size_t f = 0; f < state.work.poses.size(); ++f) state.work.poses[f]->centre.z() = -kAway * (1 - focal_px / state.work.focal_px[f]);
  holdZoom(state);
  for (Lens& lens : state.work.lenses) lens.focal_px = focal_px;
  return state;
}

struct Given {
  SyntheticShot shot;
  SolveOptions options{};
  Progress progress{};
  SolveTask task{shot.tracks, options, progress};
};

}  // namespace

TEST(FlatValleys, ADollyBeforeAWallBecomesTheZoomThatItWas) {
  const Given given{beforeAWall([](int i) { return Vec3(0.01 * i, 1.6, 0.002 * i); }, [](int i) { return 900 * std::pow(1.02, i); })};
  const SolveState truth = atTruth(given.shot);
  SolveState dolly = asDolly(truth);
  BundleOptions options = robustOptions(dolly, given.options);
  options.max_steps = 100;
  adjustReconstruction(dolly.work, options, given.progress);
  ASSERT_GT(slipBetween(truth.work, dolly.work), 0.3) << "a valley of its own";
  const auto zoom = zoomForDolly(dolly, given.task);
  ASSERT_TRUE(zoom);
  // How long the lens was, a wall does not tell; how much it zoomed, its little relief does.
  EXPECT_LT(errorSpread(zoom->work), 0.9 * errorSpread(dolly.work));
  EXPECT_LT(slipBetween(truth.work, zoom->work), 0.8 * slipBetween(truth.work, dolly.work));
  EXPECT_NEAR(zoom->work.focal_px.back() / zoom->work.focal_px.front(), std::pow(1.02, 39), 0.02);
}

TEST(FlatValleys, AZoomBeforeAWallBecomesTheDollyThatItWas) {
  const Given given{beforeAWall([](int i) { return Vec3(0.02 * i, 1.6, -0.03 * i); })};
  const SolveState truth = atTruth(given.shot);
  const auto zoom = zoomForDolly(truth, given.task);
  ASSERT_TRUE(zoom);
  const auto dolly = dollyForZoom(*zoom, given.task);
  ASSERT_TRUE(dolly);
  EXPECT_TRUE(dolly->work.focal_px.empty());
  EXPECT_LT(slipBetween(truth.work, dolly->work), 0.15);
  EXPECT_FALSE(dollyForZoom(truth, given.task)) << "there is no zoom";
}

TEST(FlatValleys, NormalAndPathAreExchangedAndBack) {
  const Given given{beforeAWall([](int i) { return Vec3(0.002 * i, 0.0004 * i, -0.004 * i); })};
  const SolveState truth = atTruth(given.shot);
  const auto other = normalForPath(truth, given.task);
  ASSERT_TRUE(other);
  EXPECT_LT(errorSpread(other->work), 1.6 * errorSpread(truth.work)) << "it looks alike";
  const auto plane = flatPlane(other->work);
  ASSERT_TRUE(plane);
  const auto back = normalForPath(*other, given.task);
  ASSERT_TRUE(back);
  EXPECT_LT(slipBetween(truth.work, back->work), 0.3);
}

TEST(FlatValleys, ASetWithDepthHasNone) {
  const Given given{makeSyntheticShot({.frames = 30, .points = 200, .noise_px = kNoise})};
  SolveState truth = atTruth(given.shot);
  EXPECT_GT(flatness(truth.work), kFlatSet);
  EXPECT_FALSE(zoomForDolly(truth, given.task));
  EXPECT_FALSE(normalForPath(truth, given.task));
  freeZoom(truth);
  EXPECT_FALSE(dollyForZoom(truth, given.task));
}

}  // namespace dusky::testing
