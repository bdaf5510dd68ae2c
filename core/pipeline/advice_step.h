#pragma once
#include "core/pipeline/prune_step.h"
#include "core/project/undo_stack.h"
#include "core/review/advice.h"

namespace dusky {

/// See adviceFor. The solve is of this document and these tracks as they are now. `measured`: of measureTracks() where it is known already. Errors: as that,
/// and what solveOptionsOf says.
Result<std::vector<Advice>> adviseOn(const PruneTask& task, const std::vector<TrackMeasures>& measured, const Progress& progress);
Result<std::vector<Advice>> adviseOn(const PruneTask& task, const Progress& progress);

/// A piece of advice as an edit; nullptr where it is not for the program to do: what is known of a lens, where tracks are to be added.
std::unique_ptr<Edit> takeAdvice(const Document& document, const Solution& solution, const Advice& advice);

}  // namespace dusky
