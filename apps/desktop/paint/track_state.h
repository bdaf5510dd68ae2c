#pragma once
#include "apps/desktop/model/document_model.h"
#include "apps/desktop/paint/track_glyphs.h"
#include "core/review/frame_figures.h"

namespace dusky::desktop {

/// The shape of a track now: the solve's, overruled by what the artist set aside since.
Glyph glyphNow(const DocumentModel& model, int id, const SolvedTrack* track);

}  // namespace dusky::desktop
