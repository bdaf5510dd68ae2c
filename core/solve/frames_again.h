#pragma once
#include <optional>

#include "core/solve/stages.h"

namespace dusky {

/// Frames, by index, ascending, whose sightings are explained far less than those of the others. What wanders or moves takes its share of all frames; where
/// most of what the others hold is lost, the camera stands elsewhere.
std::vector<int> framesHardlyExplained(const Reconstruction& work);

/// Gives such frames their cameras anew, from the tracks that the other frames hold, and settles; nothing where there are none.
std::optional<SolveState> withFramesAgain(SolveState state, const SolveTask& task);

}  // namespace dusky
