#pragma once
#include "core/solve/reconstruction.h"
#include "core/solve/solution.h"
#include "core/track/track_set.h"

namespace dusky {

/// Whether these are the tracks that a solve was made from, by their numbers and sightings.
bool madeFrom(const Solution& solution, const TrackSet& tracks);

/// A finished solve as cameras, points and sightings, ready to be reprojected or adjusted. `tracks` are those that it was made from; each of its tracks has
/// one TrackError for each observation, which says whether it was used. What held its path (a line, a plane, an arm, ties of a zoom) is not among it.
/// Errors: InvalidInput when tracks or sightings are others.
Result<Reconstruction> reconstructionOf(const Solution& solution, const TrackSet& tracks);

/// Fills in where the points of a solution show in its frames, and how far that is from where they were seen: TrackError::reprojected and error_px of each
/// sighting, from cameras and points. All else stays. Errors: as reconstructionOf.
Status remeasure(Solution& solution, const TrackSet& tracks);

}  // namespace dusky
