#pragma once
#include "core/knowledge/knowledge.h"
#include "core/solve/solve_shot.h"
#include "core/solve/solve_state.h"

namespace dusky {

/// Takes a finished solve on with what is known of the set and the camera: its shapes are looked for together with the cameras (set_beliefs.h), more and
/// more firmly, from where the solve ended. What is exact holds to a hundred-thousandth of its reach. `plain`: solved without any of it,
/// of these tracks and options. `scene`: carries its world into scene units. Errors: as setUpKnowledge; CannotSolve naming exact statements that cannot all
/// hold. Cancelled.
Result<SolutionPtr> solveWithKnowledge(const TrackSet& tracks, const SolveOptions& options, const SolutionPtr& plain, const Knowledge& knowledge,
                                       const Similarity& scene, const Progress& progress);

}  // namespace dusky
