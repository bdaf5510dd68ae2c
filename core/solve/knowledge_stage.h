#pragma once
#include "core/knowledge/knowledge.h"
#include "core/solve/solve_shot.h"
#include "core/solve/solve_state.h"

namespace dusky {

/// Takes a finished solve on with what is known of the set: its planes are looked for together with the cameras (SetPlane), first loosely, then as firmly as
/// they are known, from where the solve ended. What is exact holds to a hundred-thousandth of its reach. `plain`: solved without any of it, of these tracks and
/// options. `scene_scale`: scene units in a unit of its world. Errors: InvalidInput naming a plane of whose tracks too few have a depth, or that lie on one
/// line; CannotSolve naming exact angles that cannot all hold. Cancelled.
Result<SolutionPtr> solveWithKnowledge(const TrackSet& tracks, const SolveOptions& options, const SolutionPtr& plain, const Knowledge& knowledge,
                                       double scene_scale, const Progress& progress);

/// Puts the planes that shaped an earlier solve back into a reconstruction with its cameras and points.
void takeKnowledge(const SolvedKnowledge& knowledge, Reconstruction& work);

}  // namespace dusky
