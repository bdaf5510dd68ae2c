#pragma once
#include <algorithm>
#include <string>
#include <vector>

#include "core/track/track_set.h"

namespace dusky {

inline constexpr int kFirstImportedId = 2'000'000;  ///< Imported tracks get numbers from here on, above those of tracks by hand.

/// What an artist calls a track, and the group it is put in.
struct TrackLabel {
  int track = 0;
  std::string name, group;
  bool operator==(const TrackLabel&) const = default;
};

/// Tracks that were brought in from a file, as one group. The document holds what was decided about them; the places, which never change,
/// are shared and stored once, under `key`.
struct ImportedTracks {
  TrackLabel label;          ///< Of all its tracks: their group, the file's name at first.
  std::string key;           ///< Of the places, 16 hexadecimal digits.
  int frame_shift = 0;       ///< Added to their frame numbers.
  std::vector<int> removed;  ///< Ids that were taken out again, ascending.
  TrackSetPtr tracks;        ///< With their final ids; nullptr: not read yet.

  bool operator==(const ImportedTracks& other) const {
    return label == other.label && key == other.key && frame_shift == other.frame_shift && removed == other.removed;
  }
  bool isRemoved(int id) const { return std::binary_search(removed.begin(), removed.end(), id); }
  /// The track as it takes part, or an empty one when it was removed or is not there.
  Track track(int id) const;
};

/// The same tracks with ids from `first` on.
TrackSetPtr numberedFrom(TrackSet tracks, int first);

}  // namespace dusky
