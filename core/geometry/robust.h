#pragma once
#include <algorithm>
#include <cmath>
#include <vector>

#include "core/base/random.h"

namespace dusky {

struct RobustOptions {
  double tolerance = 1.0;                   ///< Largest residual of an inlier, in the estimator's own unit, > 0.
  double confidence = 0.9999;               ///< Wanted chance of one sample without outliers, 0 to 1.
  int min_samples = 24, max_samples = 600;  ///< Draws, both bounds kept.
  std::uint64_t seed = 1;
};

template <class Model>
struct RobustFit {
  Model model{};
  std::vector<int> inliers;
  double cost = -1.0;  ///< MSAC cost: sum of min(r^2, tol^2) / tol^2; -1 before any model was found.
  int samples = 0;     ///< Draws made.
  bool found() const { return cost >= 0; }
};

/// Draws minimal samples and keeps the model with the least truncated squared error; each new best is refined on its
/// inliers (local optimisation). Stops once the wanted confidence is reached for the inlier share seen.
/// Estimator: kSample (int); `std::vector<Model> minimal(const std::vector<int>&)`; `double residual(const Model&, int)`;
/// `std::vector<Model> refine(const Model&, const std::vector<int>& inliers)` (may return nothing).
/// Sources: Fischler and Bolles, CACM 24(6), 1981; MSAC: Torr and Zisserman, CVIU 78(1), 2000;
/// local optimisation: Chum, Matas and Kittler, DAGM 2003.
template <class Model, class Estimator>
RobustFit<Model> robustFit(const Estimator& estimator, int count, const RobustOptions& options) {
  RobustFit<Model> best;
  if (count < Estimator::kSample) return best;
  const double squared = options.tolerance * options.tolerance;
  const auto score = [&](const Model& model, double stop_at) {
    double cost = 0;
    for (int i = 0; i < count && cost < stop_at; ++i) {
      const double r = estimator.residual(model, i);
      cost += std::min(r * r / squared, 1.0);
    }
    return cost;
  };
  const auto inliersOf = [&](const Model& model) {
    std::vector<int> inliers;
    for (int i = 0; i < count; ++i) {
      if (std::abs(estimator.residual(model, i)) < options.tolerance) inliers.push_back(i);
    }
    return inliers;
  };
  const auto improve = [&](const Model& model, double cost) {
    best.model = model;
    best.cost = cost;
    best.inliers = inliersOf(model);
    for (int round = 0; round < 3; ++round) {
      bool better = false;
      for (const Model& refined : estimator.refine(best.model, best.inliers)) {
        const double refined_cost = score(refined, best.cost);
        if (refined_cost >= best.cost * (1 - 1e-9)) continue;
        best.model = refined;
        best.cost = refined_cost;
        better = true;
      }
      if (!better) return;
      best.inliers = inliersOf(best.model);
    }
  };
  Random random(options.seed);
  std::vector<int> sample(Estimator::kSample);
  double needed = options.max_samples;
  for (best.samples = 0; best.samples < options.max_samples && (best.samples < options.min_samples || best.samples < needed); ++best.samples) {
    for (int k = 0; k < Estimator::kSample; ++k) {
      do sample[k] = random.index(count);
      while (std::find(sample.begin(), sample.begin() + k, sample[k]) != sample.begin() + k);
    }
    for (const Model& model : estimator.minimal(sample)) {
      const double cost = score(model, best.found() ? best.cost : 1e300);
      if (best.found() && cost >= best.cost) continue;
      improve(model, cost);
      const double share = static_cast<double>(best.inliers.size()) / count;
      const double clean = std::pow(share, Estimator::kSample);
      needed = clean > 1 - 1e-12 ? 0 : std::log(1 - options.confidence) / std::log(1 - std::max(clean, 1e-12));
    }
  }
  return best;
}

}  // namespace dusky
