#pragma once
#include <array>
#include <vector>

#include "core/track/descriptor.h"
#include "core/track/track_set.h"

namespace dusky {

/// How a track looked where it ended or began.
struct Appearance {
  int track = 0;     ///< Index into the list of tracks.
  Observation seen;  ///< Its last (or first) place.
  FeatureSize size = FeatureSize::Medium;
  Plane<std::uint8_t> piece;  ///< About that place, px of its level, the place in the middle.
};

/// How far about a place its looks reach, px of its level.
constexpr float reachOfAppearance(int patch_radius) { return 1.5f * static_cast<float>(patch_radius) + 8; }

/// Takes the looks of a place. Nothing too near to the edge.
std::optional<Appearance> appearanceAt(const Pyramid& pyramid, int track, const Observation& seen, FeatureSize size, int patch_radius);

struct RejoinSummary {
  int matched = 0;  ///< Pairs that look alike.
  int refused = 0;  ///< Of those, refused by the geometry of the two views.
  int joined = 0;
};

/// Joins tracks that ended with tracks that began later and show the same place: alike by descriptor (and clearly more alike than the
/// next), confirmed by aligning the pieces, and where the frames' own tracks say the place must be. The later track's places are
/// shifted by the fraction of a pixel that the alignment finds, so that both speak of the same point. A joined track takes the earlier
/// one's id; the later one is gone.
/// Sources: ratio of distances: Lowe, IJCV 60(2), 2004; two views: see core/geometry/fundamental.h.
RejoinSummary rejoinTracks(std::vector<Track>& tracks, const std::vector<Appearance>& ends, const std::vector<Appearance>& beginnings, int patch_radius);

}  // namespace dusky
