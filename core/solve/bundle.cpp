#include "core/solve/bundle.h"

#include "core/base/parallel.h"
#include "core/solve/reduced_system.h"

namespace dusky {
namespace {

Bundle moved(const Bundle& from, const ReducedSystem& system) {
  Bundle to = from;
  parallelFor(static_cast<int>(to.cameras.size()), [&](int c) {
    const auto step = system.cameraStep().segment<6>(6 * c);
    to.cameras[c].world_from_camera = (to.cameras[c].world_from_camera * rotationFromVector(step.head<3>())).normalized();
    to.cameras[c].centre += step.tail<3>();
  });
  for (std::size_t j = 0; j < to.points.size(); ++j) to.points[j] += system.pointSteps()[j];
  auto lens = to.lens.parameters();
  const auto at = static_cast<Eigen::Index>(6 * to.cameras.size());
  for (int k = 0; k < system.freeLens(); ++k) lens[system.lensIndex()[k]] += system.cameraStep()[at + k];
  to.lens.setParameters(lens);
  return to;
}

bool plausible(const Lens& lens) { return lens.focal_px > 0.05 * lens.width && lens.focal_px < 100.0 * lens.width; }

}  // namespace

BundleSummary adjust(Bundle& bundle, const BundleOptions& options, const Progress& progress) {
  BundleSummary summary;
  double cost = bundleCost(bundle, options);
  summary.cost_before = summary.cost_after = cost;
  ReducedSystem system(bundle, options);
  system.linearise();
  double damping = 1e-4, growth = 2;
  for (summary.steps = 0; summary.steps < options.max_steps; ++summary.steps) {
    if (progress.stopRequested()) {
      summary.termination = Termination::Cancelled;
      return summary;
    }
    progress.report(static_cast<double>(summary.steps) / options.max_steps, "adjusting cameras and points");
    bool better = false;
    if (system.solve(damping)) {
      Bundle next = moved(bundle, system);
      const double next_cost = plausible(next.lens) ? bundleCost(next, options) : cost;
      const double decrease = cost - next_cost;
      if (decrease > 0) {
        better = true;
        bundle.cameras.swap(next.cameras);
        bundle.points.swap(next.points);
        bundle.lens = next.lens;
        const double share = decrease / cost;
        const double ratio = 0.5 * decrease / std::max(system.predictedGain(damping), 1e-300);
        cost = summary.cost_after = next_cost;
        damping = std::max(1e-12, damping * std::max(1.0 / 3, 1 - std::pow(2 * std::min(ratio, 1.0) - 1, 3)));
        growth = 2;
        if (share < options.settled) {
          summary.termination = Termination::Settled;
          return summary;
        }
        system.linearise();
      }
    }
    if (!better) {
      damping *= growth;
      growth *= 2;
      if (damping > 1e8) {
        summary.termination = Termination::Settled;
        return summary;
      }
    }
  }
  summary.termination = Termination::StepLimit;
  return summary;
}

}  // namespace dusky
