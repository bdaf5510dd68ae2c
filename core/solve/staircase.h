#pragma once
#include "core/solve/judge.h"

namespace dusky {

struct StaircaseOptions {
  bool free_focal = true, free_radial = true;
  double loss_px = 1.0;
  LensPrior prior{};
  double min_gain = 0.0;  ///< Share of the holdout error that a parameter must take away to stay; 0: it must only not rise.
};

/// Releases the lens one group at a time (k1, k2, principal point, decentring), adjusts everything, and keeps a group only
/// when the holdout error falls; otherwise the reconstruction goes back to before it. The prior keeps what the footage hardly tells
/// near its usual value, so a group that says little does little. Returns the groups that stayed.
LensFreedom climbStaircase(Reconstruction& work, const StaircaseOptions& options, std::vector<StaircaseStep>& steps, const Progress& progress);

}  // namespace dusky
