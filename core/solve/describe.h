#pragma once
#include "core/solve/reconstruction.h"
#include "core/solve/solution.h"

namespace dusky {

/// Fills the tracks and frames of a solution, and its count of holdout tracks, from a reconstruction as it stands. `tracks` is the set that the
/// reconstruction was made from.
void describe(const Reconstruction& work, const TrackSet& tracks, Solution& out);

}  // namespace dusky
