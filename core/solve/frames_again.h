#pragma once
#include <optional>

#include "core/solve/stages.h"

namespace dusky {

/// Frames, by index, ascending, whose sightings are explained far less than those of the others. What wanders or moves takes its share of all frames; where
/// most of what the others hold is lost, the camera stands elsewhere.
std::vector<int> framesHardlyExplained(const Reconstruction& work);

/// These frames and, where their longest run parts the shot, all on the shorter side of it too; nothing where that adds none.
std::vector<int> withWhatLiesBeyond(const Reconstruction& work, std::vector<int> frames);

/// Which frames: those that are hardly explained, or with what lies beyond them, as it may have gone on the wrong way from there.
enum class FramesAgain { HardlyExplained, AndBeyond };

/// Gives such frames their cameras anew, from the tracks that the other frames hold, and settles; nothing where there are none.
std::optional<SolveState> withFramesAgain(SolveState state, const SolveTask& task, FramesAgain which);

}  // namespace dusky
