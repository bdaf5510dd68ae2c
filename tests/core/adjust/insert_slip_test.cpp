// What an insert slips when one camera is taken for another, what is said of it beforehand, and the score test: against truth and against what really comes.
#include "core/adjust/insert_slip.h"

#include <gtest/gtest.h>

#include <cmath>

#include "core/adjust/uncertainty.h"
#include "core/geometry/align.h"
#include "tests/support/best_possible.h"

namespace dusky::testing {
namespace {

SyntheticPlan aWalk(std::uint64_t seed) {
  SyntheticPlan plan{.frames = 40, .points = 300, .noise_px = 0.3, .life = 25, .seed = seed};
  plan.path = [](int i) { return walkingOn(i, 0.07); };
  return plan;
}

Bundle carried(Bundle bundle, const Similarity& by) {
  for (Pose& camera : bundle.cameras) camera = by * camera;
  return bundle;
}

TEST(InsertSlip, AnotherWorldIsNoSlip) {
  const Bundle bundle = bundleAtTruth(makeSyntheticShot(aWalk(1)));
  const Similarity elsewhere{3, Eigen::Quaterniond(0.8, 0.36, 0.48, 0).normalized(), Vec3(5, -2, 9)};
  EXPECT_LT(insertSlip(bundle, carried(bundle, elsewhere)), 1e-3);
}

TEST(InsertSlip, OfAWrongFocalLengthOnATripodIsWhatNoDistanceMakesUpFor) {
  SyntheticPlan plan{.frames = 20, .points = 300, .noise_px = 0, .life = 0, .seed = 2};
  plan.path = [](int) { return Pose{Eigen::Quaterniond(0, 1, 0, 0), Vec3(0, 1.6, 0)}; };
  Bundle bundle = bundleAtTruth(makeSyntheticShot(plan));
  bundle.at_infinity.assign(bundle.points.size(), 1);
  for (Vec3& p : bundle.points) p = (p - bundle.cameras.front().centre).normalized();
  Bundle longer = bundle;
  longer.lenses.front().focal_px *= 1.01;
  double squares = 0;
  for (const BundleObservation& o : bundle.observations)
    squares += (0.01 * (o.seen - Vec2(bundle.lenses.front().width, bundle.lenses.front().height) / 2)).squaredNorm();
  const double grown = std::sqrt(squares / static_cast<double>(bundle.observations.size()));
  const double slip = insertSlip(bundle, longer);
  EXPECT_LT(slip, 0.7 * grown) << "an insert that looks too large is put farther off";
  EXPECT_GT(slip, 0.2 * grown) << "but not all of a set at once";
}

TEST(InsertSlip, IsSaidBeforehandAsItComes) {
  // Many draws of the noise: the standard deviation that each solve says of itself against what it really slips.
  double said = 0, came = 0;
  constexpr int kDraws = 10;
  for (int i = 0; i < kDraws; ++i) {
    const Bundle truth = bundleAtTruth(makeSyntheticShot(aWalk(100 + static_cast<std::uint64_t>(i))));
    Bundle solved = truth;
    BundleOptions options{.loss = Loss::Squared, .max_steps = 60};
    options.free_lens[0] = options.free_lens[kFirstCoefficient] = true;
    adjust(solved, options, {});
    said += std::pow(cameraUncertainty(solved, options).slip_px, 2) / kDraws;
    came += std::pow(insertSlip(truth, solved), 2) / kDraws;
  }
  EXPECT_GT(said / came, 0.4) << std::sqrt(said) << " px said, " << std::sqrt(came) << " px came";
  EXPECT_LT(said / came, 2.5) << std::sqrt(said) << " px said, " << std::sqrt(came) << " px came";
}

TEST(InsertSlip, OnATripodToo) {
  double said = 0, came = 0;
  constexpr int kDraws = 10;
  for (int i = 0; i < kDraws; ++i) {
    SyntheticPlan plan{.frames = 60, .points = 250, .noise_px = 0.3, .life = 40, .seed = 300 + static_cast<std::uint64_t>(i)};
    plan.path = [](int f) { return Pose{Eigen::Quaterniond(0, 1, 0, 0) * rotationFromVector(Vec3(0.02 * std::sin(0.3 * f), 0.004 * f, 0)), Vec3(0, 1.6, 0)}; };
    const auto best = bestPossible(makeSyntheticShot(plan));
    ASSERT_TRUE(best.ok());
    said += std::pow(best->slip_sigma_px, 2) / kDraws, came += std::pow(best->comparison.slip_rms_px, 2) / kDraws;
  }
  EXPECT_GT(said / came, 0.4) << std::sqrt(said) << " px said, " << std::sqrt(came) << " px came";
  EXPECT_LT(said / came, 2.5) << std::sqrt(said) << " px said, " << std::sqrt(came) << " px came";
}

TEST(ExpectedGain, TellsARollingShutterBeforeItIsLookedFor) {
  for (const double readout : {0.0, 0.3}) {
    SyntheticPlan plan = aWalk(3);
    plan.readout = readout;
    Bundle bundle = bundleAtTruth(makeSyntheticShot(plan));
    bundle.readout = 0;
    BundleOptions held{.loss = Loss::Squared, .max_steps = 60}, free = held;
    free.free_readout = true;
    adjust(bundle, held, {});
    const double expected = expectedGain(bundle, free) - expectedGain(bundle, held);
    const double before = bundle.observations.empty() ? 0 : adjust(bundle, held, {}).cost_after;
    const double gained = before - adjust(bundle, free, {}).cost_after;
    const double noise = plan.noise_px * plan.noise_px;
    if (readout == 0) EXPECT_LT(expected, 12 * noise) << "chance";
    if (readout > 0) EXPECT_GT(expected, 100 * noise);
    if (readout > 0) EXPECT_NEAR(expected / gained, 1, 0.5);
  }
}

}  // namespace
}  // namespace dusky::testing
