#pragma once
#include "apps/desktop/model/document_model.h"
#include "apps/desktop/paint/track_glyphs.h"

namespace dusky::desktop {

/// What the solve says of a track in a frame; nullptr when it was not seen there.
const TrackError* errorAt(const SolvedTrack& track, int frame);

/// The shape of a track now: the solve's, overruled by what the artist set aside since.
Glyph glyphNow(const DocumentModel& model, int id, const SolvedTrack* track);

}  // namespace dusky::desktop
