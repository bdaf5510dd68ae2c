#pragma once
#include <vector>

#include "core/solve/solve_state.h"

namespace dusky {

/// What the errors of a settled solve follow, told by score tests: what freeing more of the lens, the readout time, a focal length for each frame, or a held
/// path would gain in one linearised step, everything else following. Only what the solve does not free already. Strongest first. Source: Rao, Mathematical
/// Proceedings of the Cambridge Philosophical Society 44(1), 1948.
/// `noise_px`: standard deviation of one coordinate of a sighting, as the tracks tell it; what is not explained must not hide itself.
std::vector<ResidualPattern> residualPatterns(const SolveState& settled, const SolveOptions& options, double noise_px);

}  // namespace dusky
