#include "apps/desktop/paint/track_state.h"

#include <algorithm>

namespace dusky::desktop {

const TrackError* errorAt(const SolvedTrack& track, int frame) {
  const auto found = std::lower_bound(track.errors.begin(), track.errors.end(), frame, [](const TrackError& e, int f) { return e.frame < f; });
  return found != track.errors.end() && found->frame == frame ? &*found : nullptr;
}

Glyph glyphNow(const DocumentModel& model, int id, const SolvedTrack* track) {
  const auto& aside = model.document().picks.set_aside;
  if (std::binary_search(aside.begin(), aside.end(), id)) return Glyph::SetAside;
  if (model.isGoing(id)) return Glyph::Going;
  if (track && track->reason == AsideReason::ByArtist) return Glyph::Kept;  // brought back, not solved again yet
  return glyphOf(track);
}

}  // namespace dusky::desktop
