#pragma once
#include "core/solve/finished.h"

namespace dusky {

/// Says of each set and statement what came of it in a solve that was adjusted with it: where it lies, how sure that is, who disagrees, how it was without.
/// `known`: as it was set up; gets the shapes as they are now. `scene_scale`: scene units in a unit of the solve, where nothing else is known.
void tellKnowledge(const Finished& with, const Solution& without, const Knowledge& asked, double scene_scale, SolvedKnowledge& known);

/// What is exact and does not hold stands against something else that is exact: CannotSolve naming it.
Status refuseClashes(const SolvedKnowledge& known);

}  // namespace dusky
