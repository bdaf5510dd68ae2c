#pragma once
#include "core/adjust/bundle.h"
#include "core/deliver/compare.h"
#include "tests/support/synthetic_shot.h"

namespace dusky::testing {

/// The sightings of what stands still, and everything where it truly is.
Bundle bundleAtTruth(const SyntheticShot& shot);

/// What the best solve of a shot would reach: least squares over the sightings of what stands still alone, begun at the truth, with no more unknowns than the
/// truth has.
struct BestPossible {
  Comparison comparison;
  double slip_sigma_px = kUnknown;  ///< Standard deviation of an insert's slip there: what the footage leaves open, however it is solved.
  double fit = 0;                   ///< Akaike's criterion: squared errors of the sightings, in noise, plus two for every unknown.
};
Result<BestPossible> bestPossible(const SyntheticShot& shot);

/// Whether the footage cannot tell the truth from what was found: even the best solve is off, or may well be by its covariance, or what was found fits the
/// sightings of what stands still as well, by Akaike's criterion. A camera that is said to be uncertain is the right answer then.
/// Source: Akaike, IEEE Transactions on Automatic Control 19(6), 1974.
bool cannotTell(const SyntheticShot& shot, const BestPossible& best, const Solution& found);

}  // namespace dusky::testing
