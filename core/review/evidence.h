#pragma once
#include "core/base/progress.h"
#include "core/solve/solve_state.h"
#include "core/track/track_set.h"

namespace dusky {

/// What a finished solve's errors are to be held against: the noise that the tracks show by themselves, the share of their sightings that the solve explains,
/// and how firmly the tracks hold the focal length. `state`: finalState() of the solution. Source of the last: profile likelihood as in Venzon and Moolgavkar,
/// Applied Statistics 37(1), 1988.
Evidence gatherEvidence(const TrackSet& tracks, const SolveOptions& options, const Solution& solution, const SolveState& state, const Progress& progress);

}  // namespace dusky
