#pragma once
#include "core/deliver/compare.h"
#include "tests/support/synthetic_shot.h"

namespace dusky::testing {

/// What the best solve of a shot would reach: least squares over the sightings of what stands still alone, begun at the truth, with no more unknowns than the
/// truth has. Where even that is off, the footage cannot tell, and a camera that is said to be uncertain is the right answer.
Result<Comparison> bestPossible(const SyntheticShot& shot);

}  // namespace dusky::testing
