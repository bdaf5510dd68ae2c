#pragma once
#include "core/solve/solve_state.h"

namespace dusky {

/// A belief that is exact holds to this share: of the reach of what it speaks of, or in radians.
inline constexpr double kExactShare = 1e-6;

/// What is known of the set, as beliefs about a state's tracks and frames as they stand; nothing is moved yet. `plain`: the solve that the state is of.
/// `scene`: carries the state's world into scene units, as it is placed now. `variance_px2`: of a sighting's coordinate, errors along a track counted together
/// (correlatedVariance()); deviations are weighed against it. Statements that say nothing of the solve are there with the reason
/// (SolvedStatement::undetermined). Errors: InvalidInput naming a set, a distance, a survey point or a range of frames too little of which takes part in the
/// solve.
Result<SolvedKnowledge> setUpKnowledge(const SolveState& state, const Solution& plain, const Knowledge& knowledge, const Similarity& scene,
                                       double variance_px2);

/// Puts what shaped a solve into a reconstruction of the same tracks and frames. Surveyed points whose depth the footage does not tell stand where the survey
/// says.
void takeKnowledge(const SolvedKnowledge& knowledge, Reconstruction& work);

}  // namespace dusky
