#pragma once
#include <vector>

#include "core/track/track_set.h"

namespace dusky {

/// Standard deviation of one coordinate of the sightings, px, from the tracks alone: how far pairs of near frames are from any geometry of two views. No path,
/// focal length or zoom can bend it. Median over pairs spread over the shot; unknown where no pair shares enough tracks.
/// Sources: robust fit: see fundamental.h; reweighted to geometric error: Luong and Faugeras, IJCV 17(1), 1996.
double noiseFloor(const TrackSet& tracks);

/// The same of each of so many pairs, three frames apart and spread over the shot; unknown for those that share too few tracks.
std::vector<double> pairNoise(const TrackSet& tracks);

/// The same between frames that are up to 25 apart: with what tracks drift on the way, and what lens and shutter bend. Nothing that one camera explains should
/// be worse. Unknown where too few tracks live so long.
double noiseOverTime(const TrackSet& tracks);

}  // namespace dusky
