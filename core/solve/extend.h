#pragma once
#include "core/solve/reconstruction.h"

namespace dusky {

/// Places frames that have no camera where they see enough placed tracks: those near placed frames first, then outwards, a run at a time. A
/// run beyond the placed frames is adjusted at once with its neighbours held, and everything whenever half as many frames have come to it, so
/// a long shot does not drift and the cost stays proportional to its length. `adjusting` says what is free of the lens then.
/// Returns how many were placed. Source: incremental growing as in Pollefeys et al., IJCV 59(3), 2004; adjusting the newest part alone:
/// Mouragnon et al., CVPR 2006.
int extendToMissing(Reconstruction& work, const BundleOptions& adjusting, std::uint64_t seed, const Progress& progress);
/// Places the frames that have a camera in `before` and none now: they stand to the nearest placed frame as they did there, then are refined
/// on the points that are placed (`turn_only`: are not).
void placeAsBefore(Reconstruction& work, const Reconstruction& before, bool turn_only);
}  // namespace dusky
