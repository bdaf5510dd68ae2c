#pragma once
#include "core/base/random.h"
#include "tests/support/synthetic_shot.h"

namespace dusky::testing {

/// Moves a point of a shot to a place of one's choice and sees it anew from every frame that it shows in, with noise. A track that shows in none is taken out.
void placePoint(SyntheticShot& shot, int id, const Vec3& place, double noise_px, Random& random);

/// In the middle of all points.
Vec3 middleOf(const SyntheticShot& shot);

}  // namespace dusky::testing
