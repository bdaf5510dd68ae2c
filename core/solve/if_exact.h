#pragma once
#include "core/knowledge/knowledge.h"
#include "core/solve/stages.h"

namespace dusky {

/// What each statement that is loose or off would cost a solve if it were exact: the constrained least cost of the equations that are straight about the state
/// as it stands, over the cost there, against the variance that the sightings show. `state` and `plain`, `scene`: as setUpKnowledge. Statements that say
/// nothing, survey points, and what cannot be set up are left out. Sources: score test: Rao, Mathematical Proceedings of the Cambridge Philosophical
/// Society 44(1), 1948; its standard deviations: Wilson and Hilferty, PNAS 17(12), 1931.
std::vector<IfExact> predictExact(const SolveState& state, const SolveTask& task, const Solution& plain, const Knowledge& knowledge, const Similarity& scene);

/// How many deviations of chance beliefs bring: residuals less unknowns of shapes.
double freedomOf(const SetBeliefs& beliefs);

/// How far a sum of squares of so many deviations of chance lies over what is usual, in standard deviations; 0 where it does not.
double sigmasOfChance(double chi_squared, double freedom);

}  // namespace dusky
