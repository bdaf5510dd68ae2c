#include "core/adjust/bundle.h"

#include <ceres/ceres.h>
#include <gtest/gtest.h>

#include "core/adjust/observation_model.h"
#include "core/adjust/uncertainty.h"
#include "core/base/random.h"
#include "core/geometry/align.h"
#include "tests/support/best_possible.h"
#include "tests/support/synthetic_shot.h"

namespace dusky::testing {

void shake(Bundle& bundle, double centre, double turn_rad, double point) {
  Random random(77);
  const auto any = [&] { return Vec3(random.normal(), random.normal(), random.normal()); };
  for (Pose& camera : bundle.cameras) {
    camera.centre += centre * any();
    camera.world_from_camera = (camera.world_from_camera * rotationFromVector(turn_rad * any())).normalized();
  }
  for (Vec3& p : bundle.points) p += point * any();
}

LensFreedom focalAndRadial() { return {true, false, false, true, true, false, false, false}; }

SyntheticPlan lensPlan(double noise_px) {
  SyntheticPlan plan{.frames = 14, .points = 120, .noise_px = noise_px};
  plan.lens.k1() = -0.1, plan.lens.k2() = 0.03;
  return plan;
}

double centreError(const Bundle& bundle, const std::vector<Pose>& truth) {
  const auto fit = alignPaths(bundle.cameras, truth);
  double worst = 0;
  for (std::size_t i = 0; i < truth.size(); ++i) worst = std::max(worst, (*fit * bundle.cameras[i].centre - truth[i].centre).norm());
  return worst;
}

TEST(Adjust, ExactSightingsGiveBackCamerasPointsAndLens) {
  const SyntheticShot shot = makeSyntheticShot(lensPlan(0));
  Bundle bundle = bundleAtTruth(shot);
  shake(bundle, 0.03, 0.01, 0.05);
  bundle.lenses[0].focal_px *= 1.05;
  bundle.lenses[0].k1() = bundle.lenses[0].k2() = 0;
  const BundleSummary summary = adjust(bundle, {.free_lens = focalAndRadial(), .max_steps = 100, .settled = 1e-12}, {});
  EXPECT_LT(summary.cost_after, 1e-8);
  EXPECT_NEAR(bundle.lenses[0].focal_px, 1100, 1e-3);
  EXPECT_NEAR(bundle.lenses[0].k1(), -0.1, 1e-5);
  EXPECT_LT(centreError(bundle, shot.poses), 1e-5);
}

TEST(Adjust, NoiseLeavesTheResidualThatTheNoiseHas) {
  const SyntheticShot shot = makeSyntheticShot(lensPlan(0.4));
  Bundle bundle = bundleAtTruth(shot);
  shake(bundle, 0.02, 0.005, 0.03);
  adjust(bundle, {.free_lens = focalAndRadial(), .loss_px = 100, .max_steps = 60}, {});
  double squares = 0;
  for (const BundleObservation& o : bundle.observations)
    squares += (*project(bundle.lenses[0], bundle.cameras[o.camera], bundle.points[o.point]) - o.seen).squaredNorm();
  const double n = static_cast<double>(bundle.observations.size());
  const double unknowns = 6.0 * static_cast<double>(bundle.cameras.size()) + 3.0 * static_cast<double>(bundle.points.size()) + 3 - 7;
  // Sum of squares over (2n - unknowns) degrees of freedom is the variance; 2 % is over three of its standard errors.
  EXPECT_NEAR(std::sqrt(squares / (2 * n - unknowns)), 0.4, 0.4 * 0.04);
  EXPECT_LT(centreError(bundle, shot.poses), 0.02);
}

TEST(Adjust, AChainOfShortLivesGivesTheSameUncertaintyEveryTime) {
  // Two threads once wrote to the same tiles where the lives are short and the cameras many; in every thirtieth matrix an update was lost.
  SyntheticPlan plan{.frames = 70, .points = 900, .noise_px = 0.1, .life = 20, .seed = 41};
  plan.path = [](int i) { return walkingOn(i, 0.06); };
  const Bundle bundle = bundleAtTruth(makeSyntheticShot(plan));
  const CameraUncertainty once = cameraUncertainty(bundle, {.free_lens = focalAndRadial()}, {});
  ASSERT_GT(once.lens[0][0], 0);
  for (int again = 0; again < 60; ++again) {
    const CameraUncertainty u = cameraUncertainty(bundle, {.free_lens = focalAndRadial()}, {});
    EXPECT_NEAR(u.lens[0][0], once.lens[0][0], 1e-6 * once.lens[0][0]);
    EXPECT_NEAR(u.centre.back(), once.centre.back(), 1e-6 * once.centre.back());
  }
}

TEST(Adjust, ANarrowValleyIsWalkedToItsEnd) {
  // A dolly that does not rotate: with another focal length the set is as deep as that asks for, and hardly anything objects.
  SyntheticPlan plan{.frames = 60, .points = 500, .noise_px = 0.1, .life = 30, .seed = 6};
  plan.path = [](int i) { return Pose{Eigen::Quaterniond(0, 1, 0, 0), Vec3(0.02 * i, 1.6, -0.02 * i)}; };
  plan.lens.k1() = -0.12;
  Bundle bundle = bundleAtTruth(makeSyntheticShot(plan));
  BundleOptions options{.free_lens = focalAndRadial(), .loss = Loss::Squared, .max_steps = 100, .damping = 1e-6, .settled = 1e-9};
  Bundle best = bundle;
  const double least = adjust(best, options, {}).cost_after;
  bundle.lenses[0].focal_px *= 0.85;
  BundleOptions held = options;
  held.free_lens[0] = false;
  adjust(bundle, held, {});
  options.max_steps = 40, options.settled = 1e-6;
  adjust(bundle, options, {});
  EXPECT_LT(bundleCost(bundle, options), least * 1.0002);
}

TEST(Adjust, ARollingShuttersWayEndsWhereTheCostIsLeast) {
  SyntheticPlan plan{.frames = 30, .points = 250, .noise_px = 0.2};
  plan.readout = 0.4;
  plan.path = [](int i) {
    return Pose{(rotationFromVector(0.01 * Vec3(std::sin(0.7 * i), std::sin(0.9 * i), 0)) * Eigen::Quaterniond(0, 1, 0, 0)).normalized(),
                Vec3(0.03 * std::sin(0.8 * i), 1.6, -0.08 * i)};
  };
  Bundle bundle = bundleAtTruth(makeSyntheticShot(plan));
  BundleOptions options{.free_readout = true, .loss = Loss::Squared, .max_steps = 200, .damping = 1e-6, .settled = 1e-11};
  const double cost = adjust(bundle, options, {}).cost_after;
  // A turn of one frame moves its neighbours' rows as well: no such turn lowers the cost.
  for (const int c : {9, 10, 20}) {
    for (const double angle : {2e-5, -2e-5, 2e-6, -2e-6}) {
      for (int axis = 0; axis < 3; ++axis) {
        Bundle turned = bundle;
        Pose& camera = turned.cameras[static_cast<std::size_t>(c)];
        camera.world_from_camera = (camera.world_from_camera * rotationFromVector(angle * Vec3::Unit(axis))).normalized();
        EXPECT_GT(bundleCost(turned, options), cost) << c << " " << axis << " " << angle;
      }
    }
  }
}

TEST(Adjust, OutliersBarelyPull) {
  const SyntheticShot shot = makeSyntheticShot({.frames = 12, .points = 120, .noise_px = 0.2});
  Bundle clean = bundleAtTruth(shot), dirty = clean;
  Random random(5);
  for (BundleObservation& o : dirty.observations) {
    if (random.uniform() < 0.08) o.seen += Vec2(random.between(-60, 60), random.between(-60, 60));
  }
  adjust(clean, {.loss_px = 0.5, .max_steps = 40}, {});
  adjust(dirty, {.loss_px = 0.5, .max_steps = 40}, {});
  EXPECT_LT(centreError(dirty, shot.poses), 2 * centreError(clean, shot.poses) + 0.005);
}

TEST(Adjust, CancelAndStepLimitAreOutcomesAndNeverWorsen) {
  const SyntheticShot shot = makeSyntheticShot(lensPlan(0.3));
  Bundle bundle = bundleAtTruth(shot);
  shake(bundle, 0.05, 0.01, 0.05);
  const BundleSummary limited = adjust(bundle, {.max_steps = 1}, {});
  EXPECT_EQ(limited.termination, Termination::StepLimit);
  EXPECT_LE(limited.cost_after, limited.cost_before);
  std::stop_source source;
  source.request_stop();
  const Bundle before = bundle;
  EXPECT_EQ(adjust(bundle, {}, Progress({}, source.get_token())).termination, Termination::Cancelled);
  EXPECT_EQ(bundle.points.front(), before.points.front());
}

TEST(Adjust, FixedCentresOnlyTurn) {
  const SyntheticShot shot = makeSyntheticShot({.frames = 8, .points = 60, .step = 0});
  Bundle bundle = bundleAtTruth(shot);
  for (Pose& camera : bundle.cameras) camera.world_from_camera = (camera.world_from_camera * rotationFromVector(Vec3(0.004, -0.003, 0.002))).normalized();
  const std::vector<Pose> before = bundle.cameras;
  const BundleSummary summary = adjust(bundle, {.fixed_centres = true, .max_steps = 50, .settled = 1e-12}, {});
  EXPECT_LT(summary.cost_after, 1e-6);
  for (std::size_t c = 0; c < before.size(); ++c) EXPECT_EQ(bundle.cameras[c].centre, before[c].centre);
}

TEST(Adjust, APriorHoldsWhatTheFootageHardlyTells) {
  const SyntheticShot shot = makeSyntheticShot({.frames = 6, .points = 40, .noise_px = 0.5});
  Bundle free = bundleAtTruth(shot), held = free;
  BundleOptions options{.free_lens = {true, true, true, false, false, false, false, false}, .loss_px = 2, .max_steps = 60};
  adjust(free, options, {});
  options.prior.mean = Lens::simple(1280, 720, 0).parameters();
  options.prior.weight = {0, 50, 50, 0, 0, 0, 0, 0};
  adjust(held, options, {});
  const auto away = [](const Bundle& b) { return Vec2(b.lenses[0].cx_px - 640, b.lenses[0].cy_px - 360).norm(); };
  EXPECT_LT(away(held), 1.0);
  EXPECT_GT(away(free), away(held));
}

/// The same cost in Ceres, for an independent answer.
struct CeresError {
  const Vec2 seen;
  const Lens lens;
  template <class T>
  bool operator()(const T* q, const T* centre, const T* point, const T* lens_values, T* residual) const {
    const Eigen::Map<const Eigen::Quaternion<T>> turn(q);
    const Eigen::Matrix<T, 3, 1> p = turn.conjugate() * (Eigen::Map<const Eigen::Matrix<T, 3, 1>>(point) - Eigen::Map<const Eigen::Matrix<T, 3, 1>>(centre));
    const T x = p[0] / p[2], y = p[1] / p[2], r2 = x * x + y * y;
    const T radial = T(1) + r2 * (lens_values[1] + r2 * lens_values[2]);
    residual[0] = lens_values[0] * x * radial + T(lens.cx_px) - T(seen.x());
    residual[1] = lens_values[0] * y * radial + T(lens.cy_px) - T(seen.y());
    return true;
  }
};

double ceresMinimum(Bundle bundle, double loss_px, double* focal) {
  ceres::Problem problem;
  double lens[3] = {bundle.lenses[0].focal_px, bundle.lenses[0].k1(), bundle.lenses[0].k2()};
  for (const BundleObservation& o : bundle.observations) {
    Pose& camera = bundle.cameras[o.camera];
    problem.AddResidualBlock(new ceres::AutoDiffCostFunction<CeresError, 2, 4, 3, 3, 3>(new CeresError{o.seen, bundle.lenses[0]}),
                             new ceres::CauchyLoss(loss_px), camera.world_from_camera.coeffs().data(), camera.centre.data(), bundle.points[o.point].data(),
                             lens);
  }
  for (Pose& camera : bundle.cameras) problem.SetManifold(camera.world_from_camera.coeffs().data(), new ceres::EigenQuaternionManifold);
  ceres::Solver::Options options;
  options.linear_solver_type = ceres::DENSE_SCHUR;
  options.max_num_iterations = 300;
  options.function_tolerance = 1e-13;
  options.logging_type = ceres::SILENT;
  ceres::Solver::Summary summary;
  ceres::Solve(options, &problem, &summary);
  *focal = lens[0];
  return 2 * summary.final_cost;
}

TEST(Adjust, ReachesTheSameMinimumAsCeres) {
  const SyntheticShot shot = makeSyntheticShot(lensPlan(0.5));
  Bundle bundle = bundleAtTruth(shot);
  shake(bundle, 0.02, 0.005, 0.03);
  bundle.lenses[0].focal_px *= 1.03;
  double focal = 0;
  const double reference = ceresMinimum(bundle, 1.0, &focal);
  const BundleSummary summary = adjust(bundle, {.free_lens = focalAndRadial(), .loss_px = 1.0, .max_steps = 300, .settled = 1e-13}, {});
  EXPECT_NEAR(summary.cost_after / reference, 1, 1e-6);
  EXPECT_NEAR(bundle.lenses[0].focal_px, focal, 0.01);
}
}  // namespace dusky::testing
