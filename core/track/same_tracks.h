#pragma once
#include <map>
#include <vector>

#include "core/track/track_set.h"

namespace dusky {

/// Which tracks of another set follow the same features: for each of `ids` the track that lies nearest to it in the frames that both are in.
/// Close means within `apart_px` on average, over at least a third of the shorter life of the two. Two tracks never become one. Those that
/// have no counterpart are not in the result. `later`: how much higher the same pictures are numbered in `to`.
std::map<int, int> sameTracks(const TrackSet& from, const std::vector<int>& ids, const TrackSet& to, int later = 0, double apart_px = 2.5);

}  // namespace dusky
