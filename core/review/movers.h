#pragma once
#include <vector>

#include "core/base/progress.h"
#include "core/solve/reconstruction.h"
#include "core/solve/solve_options.h"
#include "core/track/track_set.h"

namespace dusky {

/// Tracks that a finished solve set aside and that another rigid motion explains: each group as a thing that moves on its own. What is set aside is solved
/// again by itself, under the lens that the solve found, until nothing more moves together. A camera on which a small or short-lived thing would hang on fewer
/// than a dozen tracks tells none. `settled`: the work of finalState() of the solution. Most tracks first. Source: motions taken one after the other as in Torr
/// and Murray, IJCV 24(3), 1997.
std::vector<Mover> findMovers(const TrackSet& tracks, const SolveOptions& options, const Solution& solution, const Reconstruction& settled,
                              const Progress& progress);

}  // namespace dusky
