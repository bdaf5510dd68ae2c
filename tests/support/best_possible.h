#pragma once
#include "core/adjust/bundle.h"
#include "core/deliver/compare.h"
#include "tests/support/synthetic_shot.h"

namespace dusky::testing {

/// The sightings of what stands still, and everything where it truly is.
Bundle bundleAtTruth(const SyntheticShot& shot);

/// What the best solve of a shot would reach: least squares over the sightings of what stands still alone, begun at the truth, with no more unknowns than the
/// truth has. Where even that is off, the footage cannot tell, and a camera that is said to be uncertain is the right answer.
Result<Comparison> bestPossible(const SyntheticShot& shot);

}  // namespace dusky::testing
