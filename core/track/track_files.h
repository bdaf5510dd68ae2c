#pragma once
#include <string>

#include "core/base/result.h"
#include "core/track/track_set.h"

namespace dusky {

// 2D tracks as text (docs/formats.md). Both kinds hold places, frames, ids, colours, sizes and reasons, and read back equal to 1e-6 px.

/// One line an observation: track, frame, x_px, y_px.
std::string tracksToCsv(const TrackSet& tracks);
std::string tracksToJson(const TrackSet& tracks);

/// Reads either kind back. CSV holds places alone; `width` and `height` of it are 0.
/// Errors: Unreadable naming the line or the field.
Result<TrackSet> tracksFromCsv(const std::string& text);
Result<TrackSet> tracksFromJson(const std::string& text);

}  // namespace dusky
