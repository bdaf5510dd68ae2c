#pragma once
#include <string>
#include <vector>

#include "core/track/hand_track.h"
#include "core/track/imported_tracks.h"
#include "core/track/track_set.h"

namespace dusky {

inline constexpr int kFirstCutId = 500'000;  ///< Parts that were cut off get ids from here on, below those of tracks by hand.

enum class TrackEditKind : std::uint8_t {
  Remove,      ///< The whole track.
  RemovePart,  ///< Frames first to last.
  Cut,         ///< From frame first on it is another track, `other`.
  Join,        ///< `other` goes on in it.
};

/// One change of a track that was followed automatically. Kept as what was done, not as what came out: undo takes it off the list, and
/// the tracks as they were followed are never touched.
struct TrackEdit {
  TrackEditKind kind = TrackEditKind::Remove;
  int track = 0;
  int other = 0;
  int first = 0, last = 0;
  bool operator==(const TrackEdit&) const = default;
};

/// Whether a track's number is the document's own (by hand, imported): it means the same track whatever is followed.
inline bool keepsItsNumber(int track) { return track >= kFirstHandId; }

/// All that was done to tracks by hand, and those that were brought in.
struct TrackWork {
  std::string edited_key;                ///< Of the followed tracks that `edits` speak of; other tracks are left as they are.
  std::vector<TrackEdit> edits;          ///< In the order they were made.
  std::vector<HandTrack> by_hand;        ///< By id, ascending.
  std::vector<TrackLabel> labels;        ///< By track, ascending.
  std::vector<ImportedTracks> imported;  ///< In the order they were brought in.
  bool operator==(const TrackWork&) const = default;

  const HandTrack* find(int id) const;
  const TrackLabel* labelOf(int id) const;
  /// The group of imported tracks that a track belongs to, or nullptr.
  const ImportedTracks* importOf(int id) const;
  /// Whether there are tracks besides the followed ones.
  bool addsTracks() const { return !by_hand.empty() || !imported.empty(); }
};

/// The tracks with everything done to them. Edits of tracks that are not there, or that would leave nothing sensible, change nothing;
/// a track that loses all its frames is gone. `with_edits` false: only the tracks by hand and the imported ones are added.
TrackSetPtr applyTrackWork(const TrackSet& followed, const TrackWork& work, bool with_edits);

/// Whether two tracks can become one. Errors: InvalidInput when they share frames and are more than `apart_px` apart in them.
Status canJoin(const Track& a, const Track& b, double apart_px = 2);

}  // namespace dusky
