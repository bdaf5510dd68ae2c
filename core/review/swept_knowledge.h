#pragma once
#include <vector>

#include "core/solve/solution.h"

namespace dusky {

/// A value of what is known that a solve can be held to.
struct SweptScalar {
  std::string parameter;  ///< known_scalars.h
  double value = 0;       ///< As the solve has it; degrees or scene units.
  double span = 0;        ///< How far about it a sweep shows what the footage tells, > 0.
};

/// All of a solve: angles between its planes and lines; tilts, where something says what is up; offsets, where the world's origin is known; distances, where
/// they shape the solve.
std::vector<SweptScalar> sweptScalars(const Solution& solution);

/// Holds one of them at a value, in place of what was said of it. `weight`: of a deviation of a radian; of a length, of one that is as long as the
/// value.
void holdScalar(const SolvedKnowledge& known, const std::string& parameter, double value, double weight, SetBeliefs& beliefs);

}  // namespace dusky
