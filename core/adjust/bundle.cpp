#include "core/adjust/bundle.h"

#include "core/base/parallel.h"
#include "core/adjust/bundle_state.h"

namespace dusky {
namespace {

constexpr double kLeastDamping = 1e-9;  // holds position, rotation and scale of the world, which nothing else does
constexpr double kFastest = 0.1;        // of what the damping falls to with a step that gains as predicted
// Near the least cost a step lowers it by less than kLittle and as predicted. The matrix of such a step serves the next ones too, while each lowers
// the cost by less than kFalls of the one before.
constexpr double kLittle = 0.05, kAsPredicted = 0.5, kFalls = 0.3, kCalmDamping = 1e-5, kEndDamping = 1e-6;
constexpr int kTooOften = 2;  // that an older matrix led astray: the way bends, and each such step is lost

BundleState moved(const Bundle& from, const ReducedSystem& system, const BundleOptions& options) {
  constexpr double kMostZoom = 0.5;
  BundleState to(from);
  to.moveCameras(system, options, system.cameraSteps(), system.sharedStep(), kMostZoom);
  for (std::size_t j = 0; j < to.points.size(); ++j) {
    to.points[j] = system.movedPoint(static_cast<int>(j), from.points[j], system.pointSteps()[j]);
  }
  return to;
}

bool plausible(const BundleState& state) {
  const auto sound = [&](double focal) { return focal > 0.05 * state.lenses.front().width && focal < 100.0 * state.lenses.front().width; };
  return std::all_of(state.lenses.begin(), state.lenses.end(), [&](const Lens& lens) { return sound(lens.focal_px); }) &&
         std::all_of(state.focal_px.begin(), state.focal_px.end(), sound);
}
}  // namespace

BundleSummary adjust(Bundle& bundle, const BundleOptions& options, const Progress& progress) {
  BundleSummary summary;
  double cost = bundleCost(bundle, options);
  summary.cost_before = summary.cost_after = cost;
  if (bundle.cameras.empty() || bundle.observations.empty()) {
    summary.termination = Termination::Settled;
    return summary;
  }
  ReducedSystem system(bundle, options);
  system.linearise();
  double damping = options.damping, growth = 2, last_decrease = 0;
  bool again = false;  // with the matrix of the step before
  int failed_again = 0;
  const bool free_world = system.worldIsFree();
  for (summary.steps = 0; summary.steps < options.max_steps; ++summary.steps) {
    if (progress.stopRequested()) {
      summary.termination = Termination::Cancelled;
      return summary;
    }
    progress.report(static_cast<double>(summary.steps) / options.max_steps, "adjusting cameras and points");
    double next_cost = cost;
    if ((again ? system.solveAgain() : system.solve(damping)) && !progress.stopRequested()) {
      BundleState state = moved(bundle, system, options);
      if (plausible(state)) {
        state.swapWith(bundle);
        system.refitPoints(bundle.points);
        next_cost = bundleCost(bundle, options);
        if (!(next_cost < cost)) state.swapWith(bundle);
      }
    }
    if (!(next_cost < cost)) {
      if (std::exchange(again, false)) {
        ++failed_again;  // the matrix is too old
        continue;
      }
      damping *= growth;
      growth *= 2;
      if (damping <= 1e8) continue;
      summary.termination = Termination::Settled;
      return summary;
    }
    const double decrease = cost - next_cost, share = decrease / cost;
    const double ratio = 0.5 * decrease / std::max(system.predictedGain(), 1e-300);
    cost = summary.cost_after = next_cost;
    if (!again) damping = std::max(kLeastDamping, damping * std::max(kFastest, 1 - std::pow(2 * std::min(ratio, 1.0) - 1, 3)));
    growth = 2;
    if (progress.stopRequested()) continue;
    // A damped matrix that is kept goes slowly where the footage tells little: a small step of it does not mean the end.
    const bool may_end = !again || damping <= kEndDamping;
    if (share < options.settled && may_end) {
      summary.termination = Termination::Settled;
      return summary;
    }
    system.linearise();
    const bool calm = free_world && share < kLittle && ratio > kAsPredicted && damping <= kCalmDamping;
    again = calm && may_end && failed_again < kTooOften && (!again || decrease < kFalls * last_decrease);
    last_decrease = decrease;
  }
  summary.termination = Termination::StepLimit;
  return summary;
}

double expectedGain(const Bundle& bundle, const BundleOptions& options) {
  ReducedSystem system(bundle, options);
  system.linearise();
  return system.solve(kLeastDamping) ? 2 * system.predictedGain() : kUnknown;
}
}  // namespace dusky
