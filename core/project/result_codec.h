#pragma once
#include <string>

#include "core/solve/solution.h"
#include "core/track/follow_features.h"

namespace dusky {

/// Results as bytes (CBOR, RFC 8949), for the project file. The layout is in docs/formats.md.
std::string encode(const TrackSet& tracks);
std::string encode(const Solution& solution);
/// Errors: Unreadable when the bytes are not of this version.
Result<TrackSetPtr> decodeTracks(const std::string& bytes);
Result<SolutionPtr> decodeSolution(const std::string& bytes);

}  // namespace dusky
