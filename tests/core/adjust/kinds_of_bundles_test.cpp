// Bundle adjustment beyond one pinhole: every lens, zooms, directions, rolling shutters, several lenses, ties and planes.
#include <gtest/gtest.h>

#include <Eigen/Dense>
#include <cmath>

#include "core/base/random.h"
#include "core/adjust/bundle.h"
#include "core/adjust/observation_model.h"
#include "core/adjust/reduced_system.h"

namespace dusky::testing {

Vec3 anyVector(Random& random) { return {random.normal(), random.normal(), random.normal()}; }

/// A dozen cameras before a cloud, all seeing all of it exactly.
Bundle exactBundle(const Lens& lens) {
  Random random(12);
  Bundle bundle;
  bundle.lenses[0] = lens;
  for (int c = 0; c < 12; ++c)
    bundle.cameras.push_back({rotationFromVector(Vec3(0.03 * std::sin(c), 0.05 * std::cos(0.7 * c), 0.02 * c)), Vec3(0.15 * c, 0.1 * std::sin(c), 0.05 * c)});
  for (int p = 0; p < 60; ++p) bundle.points.push_back(Vec3(random.between(-2, 3), random.between(-1.5, 1.5), random.between(4, 9)));
  return bundle;
}

/// What the model itself predicts, put down as seen.
void see(Bundle& bundle) {
  bundle.observations.clear();
  for (int p = 0; p < static_cast<int>(bundle.points.size()); ++p) {
    for (int c = 0; c < static_cast<int>(bundle.cameras.size()); ++c) {
      const Pose& pose = bundle.cameras[c];
      const Vec3 q = bundle.isAtInfinity(p) ? Vec3(pose.world_from_camera.conjugate() * bundle.points[p]) : pose.toCamera(bundle.points[p]);
      bundle.observations.push_back({c, p, bundle.lensAt(c).distort(q.hnormalized())});
    }
  }
}

void shakeCameras(Bundle& bundle, double by) {
  Random random(5);
  for (Pose& camera : bundle.cameras) {
    camera.centre += by * anyVector(random);
    camera.world_from_camera = (camera.world_from_camera * rotationFromVector(0.3 * by * anyVector(random))).normalized();
  }
  for (std::size_t p = 0; p < bundle.points.size(); ++p) {
    if (!bundle.isAtInfinity(static_cast<int>(p))) bundle.points[p] += by * anyVector(random);
  }
}

LensFreedom freedomOf(std::initializer_list<int> parameters) {
  LensFreedom freedom{};
  for (const int k : parameters) freedom[k] = true;
  return freedom;
}

BundleOptions exactly(const LensFreedom& freedom) { return {.free_lens = freedom, .loss = Loss::Squared, .max_steps = 200, .settled = 1e-14}; }

TEST(KindsOfBundles, EveryLensIsFoundFromExactSightings) {
  Lens fisheye = Lens::simple(1280, 720, 500, LensModel::Fisheye);
  fisheye.coefficients[0] = -0.03, fisheye.coefficients[1] = 0.006;
  Lens anamorphic = Lens::simple(1280, 720, 800, LensModel::Anamorphic);
  anamorphic.squeeze() = 1.9, anamorphic.coefficients[2] = -0.05, anamorphic.coefficients[8] = -0.08;
  for (const auto& [lens, freedom] : {std::pair{fisheye, freedomOf({0, 3, 4})}, std::pair{anamorphic, freedomOf({0, 3, 5, 11})}}) {
    Bundle bundle = exactBundle(lens);
    see(bundle);
    shakeCameras(bundle, 0.02);
    bundle.lenses[0].focal_px *= 1.03;
    for (const int k : {4, 5, 11}) {
      LensParameters values = bundle.lenses[0].parameters();
      if (freedom[k]) values[k] = 0;
      bundle.lenses[0].setParameters(values);
    }
    const BundleSummary summary = adjust(bundle, exactly(freedom), {});
    EXPECT_LT(summary.cost_after, 1e-6) << describe(lens.model);
    EXPECT_NEAR(bundle.lenses[0].focal_px, lens.focal_px, 0.1) << describe(lens.model);
  }
}

TEST(KindsOfBundles, AZoomIsFoundFrameByFrame) {
  Bundle bundle = exactBundle(Lens::simple(1280, 720, 900));
  for (int c = 0; c < 12; ++c) bundle.focal_px.push_back(900 + 40.0 * c);
  see(bundle);
  const std::vector<double> truth = bundle.focal_px;
  for (std::size_t c = 0; c < truth.size(); ++c) bundle.focal_px[c] *= c % 2 ? 1.02 : 0.985;
  shakeCameras(bundle, 0.01);
  EXPECT_LT(adjust(bundle, exactly({}), {}).cost_after, 1e-6);
  for (std::size_t c = 0; c < truth.size(); ++c) EXPECT_NEAR(bundle.focal_px[c] / bundle.focal_px[0], truth[c] / truth[0], 0.002) << c;
}

TEST(KindsOfBundles, ASightingOfWeightThreeIsThreeSightings) {
  Bundle weighted = exactBundle(Lens::simple(1280, 720, 900));
  see(weighted);
  Random random(31);
  for (BundleObservation& o : weighted.observations) o.seen += 0.4 * Vec2(random.normal(), random.normal());
  shakeCameras(weighted, 0.01);
  Bundle repeated = weighted;
  repeated.observations.clear();
  for (BundleObservation& o : weighted.observations) {
    const int times = o.point % 4 == 0 ? 3 : 1;
    repeated.observations.insert(repeated.observations.end(), static_cast<std::size_t>(times), o);
    o.weight = times;
  }
  const BundleOptions options{.free_lens = freedomOf({0, 3}), .loss = Loss::Cauchy, .loss_px = 0.5, .max_steps = 100, .settled = 1e-13};
  EXPECT_NEAR(bundleCost(weighted, options), bundleCost(repeated, options), 1e-9 * bundleCost(repeated, options));
  EXPECT_NEAR(expectedGain(weighted, options), expectedGain(repeated, options), 1e-6 * expectedGain(repeated, options));
  const double cost = adjust(weighted, options, {}).cost_after;
  EXPECT_NEAR(cost, adjust(repeated, options, {}).cost_after, 1e-9 * cost);
  EXPECT_NEAR(weighted.lenses[0].focal_px, repeated.lenses[0].focal_px, 1e-3);
  for (std::size_t p = 0; p < weighted.points.size(); ++p)
    EXPECT_NEAR((weighted.points[p] - weighted.cameras[0].centre).norm() / (weighted.cameras[11].centre - weighted.cameras[0].centre).norm(),
                (repeated.points[p] - repeated.cameras[0].centre).norm() / (repeated.cameras[11].centre - repeated.cameras[0].centre).norm(), 1e-4);
}

TEST(KindsOfBundles, DirectionsHoldTheTurnAndNothingElse) {
  Bundle bundle = exactBundle(Lens::simple(1280, 720, 900));
  bundle.at_infinity.assign(bundle.points.size(), 1);
  for (Vec3& p : bundle.points) p.normalize();
  see(bundle);
  const std::vector<Pose> truth = bundle.cameras;
  for (Pose& camera : bundle.cameras) camera.world_from_camera = camera.world_from_camera * rotationFromVector(Vec3(0.004, -0.006, 0.003));
  bundle.cameras[3].world_from_camera = bundle.cameras[3].world_from_camera * rotationFromVector(Vec3(0.01, 0, 0));
  const std::vector<Pose> before = bundle.cameras;
  EXPECT_LT(adjust(bundle, exactly({}), {}).cost_after, 1e-8);
  for (std::size_t c = 0; c < truth.size(); ++c) {
    EXPECT_LT((bundle.cameras[c].centre - before[c].centre).norm(), 1e-9) << "they say nothing about where a camera stands";
    const auto turned = truth[0].world_from_camera.conjugate() * truth[c].world_from_camera;
    const auto found = bundle.cameras[0].world_from_camera.conjugate() * bundle.cameras[c].world_from_camera;
    EXPECT_LT(turned.angularDistance(found), 1e-6);
  }
  for (const Vec3& p : bundle.points) EXPECT_NEAR(p.norm(), 1, 1e-9);
}

TEST(KindsOfBundles, TwoLensesAreFoundApart) {
  Bundle bundle = exactBundle(Lens::simple(1280, 720, 900));
  bundle.lenses.push_back(Lens::simple(1280, 720, 1300));
  for (int c = 0; c < 12; ++c) bundle.lens_of.push_back(c % 2);
  see(bundle);
  shakeCameras(bundle, 0.01);
  bundle.lenses[0].focal_px = 920, bundle.lenses[1].focal_px = 1270;
  EXPECT_LT(adjust(bundle, exactly(freedomOf({0})), {}).cost_after, 1e-6);
  EXPECT_NEAR(bundle.lenses[0].focal_px, 900, 0.1);
  EXPECT_NEAR(bundle.lenses[1].focal_px, 1300, 0.1);
}

TEST(KindsOfBundles, EveryLensHasItsOwnFreedomAndBelief) {
  Bundle bundle = exactBundle(Lens::simple(1280, 720, 1000));
  Lens other = Lens::simple(1280, 720, 700, LensModel::Fisheye);
  bundle.lenses.push_back(other);
  bundle.lenses[0].k1() = -0.05;
  for (int c = 0; c < 12; ++c) bundle.lens_of.push_back(c % 2);
  see(bundle);
  const Bundle truth = bundle;
  shakeCameras(bundle, 0.01);
  bundle.lenses[0].focal_px = 1020, bundle.lenses[0].k1() = 0;
  BundleOptions options = exactly({});
  options.lens_terms = {{.free = freedomOf({0, 3})}, {}};
  const BundleSummary summary = adjust(bundle, options, {});
  EXPECT_LT(summary.cost_after, 1e-6);
  EXPECT_NEAR(bundle.lenses[0].focal_px, 1000, 0.05);
  EXPECT_NEAR(bundle.lenses[0].k1(), -0.05, 1e-4);
  EXPECT_EQ(bundle.lenses[1].parameters(), truth.lenses[1].parameters()) << "it was not free";
  // A firm belief about one lens alone.
  options.lens_terms[0].prior.mean[0] = 1010, options.lens_terms[0].prior.weight[0] = 1e9;
  adjust(bundle, options, {});
  EXPECT_NEAR(bundle.lenses[0].focal_px, 1010, 0.05);
}

TEST(KindsOfBundles, AKeptMatrixGivesTheSameStepWhereNothingMoved) {
  Bundle bundle = exactBundle(Lens::simple(1280, 720, 1000));
  see(bundle);
  shakeCameras(bundle, 0.005);
  BundleOptions options = exactly(freedomOf({0, 3}));
  options.lens_terms = {{.free = freedomOf({0, 3}), .prior = {.mean = bundle.lenses[0].parameters(), .weight = {1, 0, 0, 2}}}};
  ReducedSystem system(bundle, options);
  system.linearise();
  ASSERT_TRUE(system.solve(1e-6));
  const Eigen::MatrixXd motions = system.worldMotions();
  const auto stepOf = [&] {
    Eigen::VectorXd step = Eigen::VectorXd::Zero(motions.rows());
    for (int c = 0; c < 12; ++c) step.segment(system.rowOf(c), 6) = system.cameraStep(c);
    return Eigen::VectorXd(step - motions * motions.colPivHouseholderQr().solve(step));
  };
  const Eigen::VectorXd first = stepOf(), shared = system.sharedStep();
  system.linearise();
  ASSERT_TRUE(system.solveAgain());
  EXPECT_LT((stepOf() - first).norm(), 1e-9 * first.norm());
  EXPECT_LT((system.sharedStep() - shared).norm(), 1e-9 * shared.norm());
  Eigen::VectorXd whole = Eigen::VectorXd::Zero(motions.rows());
  for (int c = 0; c < 12; ++c) whole.segment(system.rowOf(c), 6) = system.cameraStep(c);
  EXPECT_LT((motions.transpose() * whole).norm(), 1e-6 * whole.norm()) << "the world stays where it is";
}

TEST(KindsOfBundles, TheReadoutsSlopeAgreesWithADifference) {
  Bundle bundle = exactBundle(Lens::simple(1280, 720, 900));
  see(bundle);
  bundle.readout = 0.3;
  const BundleOptions options{.free_readout = true, .loss = Loss::Squared};
  const BundleObservation o = bundle.observations[7 * 12 + 4];
  const auto residualAt = [&](double readout) {
    Bundle moved = bundle;
    moved.readout = readout;
    const ObservationModel model(moved, options);
    SharedColumns shared;
    return std::pair{model.linearise(o, shared).residual, Vec2(shared.col(0))};
  };
  constexpr double e = 1e-5;
  const Vec2 by_difference = (residualAt(0.3 + e).first - residualAt(0.3 - e).first) / (2 * e);
  EXPECT_LT((residualAt(0.3).second - by_difference).norm(), 0.02 * by_difference.norm() + 1e-3);
}

/// Cameras that rotate about the origin on an arm, as a head's.
Bundle onAnArm(const Vec3& arm) {
  Bundle bundle = exactBundle(Lens::simple(1280, 720, 900));
  for (std::size_t c = 0; c < bundle.cameras.size(); ++c) {
    Pose& camera = bundle.cameras[c];
    const double share = static_cast<double>(c) / 11 - 0.5;
    camera.world_from_camera = (bundle.cameras[0].world_from_camera * rotationFromVector(Vec3(0.2 * share * share, 0.6 * share, 0))).normalized();
    camera.centre = camera.world_from_camera * arm;
  }
  bundle.arm = arm;
  see(bundle);
  return bundle;
}

TEST(KindsOfBundles, AnArmIsFoundWithItsRotations) {
  const Vec3 arm(0.05, -0.02, 0.3);
  Bundle bundle = onAnArm(arm);
  for (std::size_t c = 0; c < bundle.cameras.size(); ++c)
    bundle.cameras[c].world_from_camera =
        bundle.cameras[c].world_from_camera * rotationFromVector(0.004 * Vec3(static_cast<double>(c % 2), static_cast<double>(c % 3), 1));
  *bundle.arm = Vec3(0, 0, 0.3);
  BundleOptions options = exactly(freedomOf({0}));
  options.fixed_centres = true;
  bundle.lenses[0].focal_px = 915;
  EXPECT_LT(adjust(bundle, options, {}).cost_after, 1e-6);
  EXPECT_NEAR(bundle.lenses[0].focal_px, 900, 0.1);
  EXPECT_LT((bundle.arm->normalized() - arm.normalized()).norm(), 1e-3);
  for (const Pose& camera : bundle.cameras) EXPECT_LT((camera.centre - camera.world_from_camera * *bundle.arm).norm(), 1e-12);
}

TEST(KindsOfBundles, TheArmsSlopesAgreeWithDifferences) {
  const Bundle bundle = onAnArm(Vec3(0.05, -0.02, 0.3));
  const BundleOptions options{.fixed_centres = true, .loss = Loss::Squared};
  const BundleObservation o = bundle.observations[7 * 12 + 4];
  const auto at = [&](const Vec3& rotation, const Vec3& arm) {
    Bundle moved = bundle;
    *moved.arm += arm;
    for (Pose& camera : moved.cameras) {
      camera.world_from_camera = camera.world_from_camera * rotationFromVector(rotation);
      camera.centre = camera.world_from_camera * *moved.arm;
    }
    SharedColumns shared;
    const Linearised row = ObservationModel(moved, options).linearise(o, shared);
    return std::pair{row, Eigen::Matrix<double, 2, 3>(shared.leftCols<3>())};
  };
  constexpr double e = 1e-5;
  const auto [row, by_arm] = at(Vec3::Zero(), Vec3::Zero());
  for (int k = 0; k < 3; ++k) {
    const Vec3 step = e * Vec3::Unit(k), none = Vec3::Zero();
    EXPECT_LT((row.by_rotation.col(k) - (at(step, none).first.residual - at(-step, none).first.residual) / (2 * e)).norm(), 0.01);
    EXPECT_LT((by_arm.col(k) - (at(none, step).first.residual - at(none, -step).first.residual) / (2 * e)).norm(), 0.01);
  }
}

TEST(KindsOfBundles, TiesAndPlanesPull) {
  Bundle bundle = exactBundle(Lens::simple(1280, 720, 900));
  see(bundle);
  Random random(3);
  for (BundleObservation& o : bundle.observations) o.seen += 0.5 * Vec2(random.normal(), random.normal());
  Bundle tied = bundle, flat = bundle;
  tied.ties.push_back({.a = 4, .b = 5, .centre = 1e7});
  adjust(tied, exactly({}), {});
  EXPECT_LT((tied.cameras[4].centre - tied.cameras[5].centre).norm(), 0.01) << "0.18 apart without it";
  for (int c = 0; c < 12; ++c) flat.planes.push_back({.camera = c, .normal = Vec3::UnitY(), .offset = 0, .weight = 1e7});
  adjust(flat, exactly({}), {});
  for (const Pose& camera : flat.cameras) EXPECT_LT(std::abs(camera.centre.y()), 0.01);
}

TEST(KindsOfBundles, LossesCountAsTheySay) {
  Bundle bundle = exactBundle(Lens::simple(1280, 720, 900));
  see(bundle);
  const auto costOf = [&](Loss loss, double off) {
    Bundle moved = bundle;
    moved.observations[0].seen.x() += off;
    return bundleCost(moved, {.loss = loss, .loss_px = 2});
  };
  EXPECT_NEAR(costOf(Loss::Squared, 5), 25, 1e-9);
  EXPECT_NEAR(costOf(Loss::Huber, 1), 1, 1e-9);
  EXPECT_NEAR(costOf(Loss::Huber, 5), 2 * 2 * 5 - 4, 1e-9);
  EXPECT_NEAR(costOf(Loss::Cauchy, 5), 4 * std::log1p(25.0 / 4), 1e-9);
}

}  // namespace dusky::testing
