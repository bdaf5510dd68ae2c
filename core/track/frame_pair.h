#pragma once
#include <string>
#include <vector>

#include "core/geometry/fundamental.h"
#include "core/track/track_set.h"

namespace dusky {

/// What two frames of a shot have in common, and the geometry of two views that explains it.
struct FramePair {
  int frame_a = 0, frame_b = 0;
  std::vector<int> tracks;       ///< Seen in both.
  std::vector<Vec2> in_a, in_b;  ///< Their places, px; same order.
  std::vector<bool> agrees;      ///< Inliers of the robust fit; all false where none was found.
  EpipolarFit fit;
  double rms_px = kUnknown;    ///< Of the inliers' residuals.
  double moved_px = kUnknown;  ///< Median way from one frame to the other.

  /// How many there are, how many agree, how many samples were drawn and why that was enough.
  std::string sentence() const;
};

/// Errors: InvalidInput when a frame is not among those tracked, or when both are the same.
Result<FramePair> pairOf(const TrackSet& tracks, int frame_a, int frame_b, double tolerance_px = 1.0);

}  // namespace dusky
