#pragma once
#include "core/solve/reconstruction.h"
#include "core/solve/solve_options.h"

namespace dusky {

/// Gives a reconstruction what an earlier solve of the same shot found: cameras by frame number, lenses, points by track number. Returns what of
/// the lens was free there.
LensFreedom takeFrom(const Solution& earlier, Reconstruction& work);

/// Whether an earlier solve has the kind of motion, focal length and lens that is asked for now; where it has not, one begins from nothing.
bool canCarryOn(const SolveOptions& options, const Solution& earlier);
}  // namespace dusky
