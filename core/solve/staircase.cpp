#include "core/solve/staircase.h"

#include <cmath>

namespace dusky {
namespace {

struct Group {
  std::string_view name;
  std::vector<int> parameters;  ///< Positions in Lens::parameters().
};

const std::vector<Group>& groups() {
  static const std::vector<Group> all = {{"k1", {3}}, {"k2", {4}}, {"principal point", {1, 2}}, {"decentring", {6, 7}}};
  return all;
}

StaircaseStep measured(std::string name, Reconstruction& work, bool kept) {
  const Judgement now = judge(work);
  return {std::move(name), now.rms_px, now.holdout_rms_px, kept};
}

}  // namespace

LensFreedom climbStaircase(Reconstruction& work, const StaircaseOptions& options, std::vector<StaircaseStep>& steps, const Progress& progress) {
  LensFreedom freedom{};
  freedom[0] = options.free_focal;
  const auto adjustWith = [&](const LensFreedom& free_lens, const Progress& part) {
    adjustReconstruction(work, {.free_lens = free_lens, .prior = options.prior, .loss_px = options.loss_px, .max_steps = 12, .settled = 1e-4}, part);
  };
  adjustWith(freedom, progress.part(0, 0.2));
  steps.push_back(measured(options.free_focal ? "focal length" : "poses and points", work, true));
  if (!options.free_radial) return freedom;
  double best = steps.back().holdout_rms_px;
  for (std::size_t g = 0; g < groups().size() && !progress.stopRequested(); ++g) {
    const Group& group = groups()[g];
    const Reconstruction before = work;
    LensFreedom wider = freedom;
    for (int k : group.parameters) wider[k] = true;
    adjustWith(wider, progress.part(0.2 + 0.2 * static_cast<double>(g), 0.4 + 0.2 * static_cast<double>(g)));
    StaircaseStep step = measured(std::string(group.name), work, true);
    // Without holdout tracks the used ones must do; then the gain must be clear.
    const double error = std::isnan(step.holdout_rms_px) ? step.rms_px : step.holdout_rms_px;
    const double reference = std::isnan(best) ? steps.back().rms_px : best;
    step.kept = error < (1 - options.min_gain) * reference;
    if (step.kept) {
      freedom = wider;
      best = error;
    } else {
      work = before;
    }
    steps.push_back(std::move(step));
  }
  return freedom;
}

}  // namespace dusky
