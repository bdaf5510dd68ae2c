#pragma once
#include <vector>

#include "core/solve/solution.h"

namespace dusky {

/// What a solve says of one frame, beside SolvedFrame's RMS.
struct FrameFigures {
  int frame = 0;
  double worst_px = kUnknown;         ///< Largest error of a kept track that takes part here.
  double explained_share = kUnknown;  ///< Of the sightings here, also of tracks that the solve set aside, not of those an artist did: what it uses.
};
/// Of each frame of the solution, in its order.
std::vector<FrameFigures> frameFigures(const Solution& solution);

/// Of one frame: sightings of what stands still, and those of them that the solve uses.
struct SightingsOfSet {
  int all = 0, used = 0;
};
/// Of each frame of the solution, in its order: over the tracks that live five frames or longer (shorter ones say little either way), less those that an artist
/// set aside and those that are known to move.
std::vector<SightingsOfSet> sightingsOfSet(const Solution& solution);

/// What the solve says of a track in a frame; nullptr when it was not seen there.
const TrackError* errorAt(const SolvedTrack& track, int frame);

/// Kept tracks with the largest errors in a frame, worst first: at most `most`, and only such as are over the frame's RMS.
std::vector<int> worstTracksIn(const Solution& solution, int frame, int most);

}  // namespace dusky
