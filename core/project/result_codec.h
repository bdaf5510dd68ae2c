#pragma once
#include <string>

#include "core/solve/solution.h"
#include "core/track/follow_features.h"

namespace dusky {

/// Results as bytes (CBOR, RFC 8949), for the project file. The layout is in docs/formats.md.
std::string encode(const TrackSet& tracks);
std::string encode(const Solution& solution);
/// Errors: Unreadable when the bytes are of no version that is known.
Result<TrackSetPtr> decodeTracks(const std::string& bytes);
/// Which sightings took part is there; where they show and their errors are not, see remeasure(). (Solves that were stored with them have them.)
Result<std::shared_ptr<Solution>> decodeSolution(const std::string& bytes);

}  // namespace dusky
