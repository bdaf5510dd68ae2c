#include "apps/desktop/paint/track_state.h"

#include <algorithm>

namespace dusky::desktop {

Glyph glyphNow(const DocumentModel& model, int id, const SolvedTrack* track) {
  const auto& aside = model.document().picks.set_aside;
  if (std::binary_search(aside.begin(), aside.end(), id)) return Glyph::SetAside;
  if (model.isGoing(id)) return Glyph::Going;
  if (track && track->reason == AsideReason::ByArtist) return Glyph::Kept;  // brought back, not solved again yet
  return glyphOf(track);
}

}  // namespace dusky::desktop
