#pragma once
#include <optional>

#include "core/solve/stages.h"

namespace dusky {

// Before a flat set very different cameras look nearly alike. Each of these begins another one where it must lie when there is one, and carries it on to its
// end; nothing where the set is not flat, or no such camera sees it.

/// A zoom for what the camera goes towards the set or from it.
std::optional<SolveState> zoomForDolly(const SolveState& state, const SolveTask& task);

/// The way towards the set for what a zoom does.
std::optional<SolveState> dollyForZoom(const SolveState& state, const SolveTask& task);

/// The set's normal for the direction of a nearly straight path, and the other way round.
/// Source: Longuet-Higgins, The visual ambiguity of a moving plane, Proceedings of the Royal Society B 223, 1984.
std::optional<SolveState> normalForPath(const SolveState& state, const SolveTask& task);

}  // namespace dusky
