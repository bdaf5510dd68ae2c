#pragma once
#include <filesystem>
#include <string>

#include "core/base/result.h"
#include "core/image/frame_source.h"
#include "core/track/track_set.h"

namespace dusky {

// 2D tracks as text (docs/formats.md). Both kinds hold places, frames, ids, colours, sizes and reasons, and read back equal to 1e-6 px.

/// One line an observation: track, frame, x_px, y_px.
std::string tracksToCsv(const TrackSet& tracks);
std::string tracksToJson(const TrackSet& tracks);

/// Reads either kind back. CSV holds places alone; `width` and `height` of it are 0. Of JSON only size, range, ids and observations must be there.
/// Errors: Unreadable naming the line or the field: what is no track file, a place that is no number, a track twice or twice in one frame.
Result<TrackSet> tracksFromCsv(const std::string& text);
Result<TrackSet> tracksFromJson(const std::string& text);

/// Whether a name ends in .json or .csv.
bool isTrackFile(const std::filesystem::path& path);

/// Reads a file of either kind for a solve. `width`, `height`: the picture that the places lie in, px; 0: as the file says.
/// Errors: Unreadable, the file named, as above; a size that is missing, not the file's own, or cannot be meant (places far outside of it); frames
/// outside of the file's own range; no track that lives three frames.
Result<TrackSet> readTrackFile(const std::filesystem::path& path, int width = 0, int height = 0);

/// Errors: InvalidInput naming a track with a place in a frame that the footage has no picture of.
Status checkInFootage(const TrackSet& tracks, const FootageInfo& footage);

}  // namespace dusky
