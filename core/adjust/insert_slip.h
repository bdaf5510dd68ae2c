#pragma once
#include "core/adjust/bundle.h"
#include "core/geometry/align.h"

namespace dusky {

/// What the points of `set` would slip, in px, if they were filmed by `set`'s cameras and shown by `other`'s: the RMS distance over the sightings of `set`,
/// after the similarity between the two worlds that makes it least, as an artist would line up a set. This is what an insert slips when the one camera is taken
/// for the other. Shapes: the same cameras in both, in the same order; `other` needs no points. At most so many sightings, evenly taken by their points, are
/// measured. Unknown where there are none. A set that is all directions stands at the distances of a usual one: nobody knows them, and an insert in it is put
/// where it looks right.
double insertSlip(const Bundle& set, const Bundle& other, int most = 4000);

/// That similarity, from `set`'s world to `other`'s. Begun from the paths under several scales: a short path says little of its own scale.
/// Errors: InvalidInput without cameras.
Result<Similarity> alignBySlip(const Bundle& set, const Bundle& other, int most = 4000);

}  // namespace dusky
