#pragma once
#include "core/solve/solve_options.h"
#include "core/solve/solution.h"
#include "core/track/track_set.h"

namespace dusky {

/// Says what is weak about a finished solve, where, and what would help: into summary.warnings; and why a frame has no camera.
void addWarnings(const TrackSet& tracks, const SolveOptions& options, Solution& solution);

}  // namespace dusky
