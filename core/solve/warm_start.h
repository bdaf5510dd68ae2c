#pragma once
#include "core/solve/solution.h"
#include "core/solve/solve_state.h"

namespace dusky {

/// A state that begins where an earlier solve of the same shot ended: cameras by frame number, lenses, points by track number, frames that
/// rotate in place. What the options say of the lens, of its cameras and of the readout holds over what the earlier solve found.
SolveState warmStart(const Solution& earlier, const TrackSet& tracks, const SolveOptions& options);

/// Whether an earlier solve has the kind of motion, focal length, lens and pixel that is asked for now; where it has not, one begins from
/// nothing.
bool canWarmStart(const SolveOptions& options, const Solution& earlier);

/// The state of an earlier solve's last adjustment: its own path, and the same sightings used.
SolveState finalState(const Solution& earlier, const TrackSet& tracks, const SolveOptions& options);
}  // namespace dusky
