#pragma once
#include "core/geometry/pose.h"
#include "core/solve/solution.h"
#include "core/track/track_set.h"

namespace dusky {

/// How two solves of one shot differ. The second is brought into the world of the first; lengths are in the first one's units.
struct SolveDifference {
  struct Frame {
    int frame = 0;
    double centre = 0;        ///< Between the two camera places.
    double rotation_rad = 0;  ///< Between the two orientations.
    double focal_px = 0;      ///< The second's focal length less the first's.
    double sigma_centre = kUnknown, sigma_rotation_rad = kUnknown,
           sigma_focal_px = kUnknown;  ///< One standard deviation of the difference, as if both knew nothing of each other.
  };
  struct Point {
    int id = 0;
    double distance = 0;      ///< Between its two places.
    double sigma = kUnknown;  ///< One standard deviation, as above.
  };
  Similarity first_from_second;
  std::vector<Frame> frames;  ///< With a camera in both, ascending.
  std::vector<Point> points;  ///< Placed, with a depth, in both; the farthest apart first. Only of solves of the same tracks.
  double slip_px = kUnknown;  ///< What an insert that is lined up under the first slips under the second, RMS over the shot.
};

/// `tracks_a` are those that `a` was made from; `same_tracks`: `b` was made from them too, so that numbers mean the same.
/// Errors: InvalidInput when no frame has a camera in both.
Result<SolveDifference> differenceOf(const Solution& a, const TrackSet& tracks_a, const Solution& b, bool same_tracks);

}  // namespace dusky
