#pragma once
#include <span>
#include <string>

#include "core/solve/solve_state.h"

namespace dusky {

/// "a camera that moves, with a zoom": what an explanation takes the camera for.
std::string kindOf(const SolveState& state);

/// What decided about motion, zoom and shutter. `ranked`: the explanations that were carried so far, the chosen one first.
std::string whyThisOne(std::span<const SolveState* const> ranked, const SolveOptions& options);

}  // namespace dusky
