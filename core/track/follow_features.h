#pragma once
#include <functional>
#include <memory>

#include "core/image/frame_source.h"
#include "core/track/detect.h"
#include "core/track/track_set.h"

namespace dusky {

struct FollowOptions {
  // What changes the result (and so the step's key).
  int first_frame = 0, last_frame = 0;  ///< Range, both included; 0, 0: all of the footage.
  int features = 600;                   ///< Followed at one time, 20 to 20000: more is steadier and slower.
  double min_strength = 3.0;            ///< See DetectOptions; > 0. Higher: fewer and better features.
  double min_distance_px = 11;          ///< Between features, px, 4 to 200.
  int patch_radius = 10;                ///< Half side of the reference patch, px, 4 to 30.
  int min_life = 4;                     ///< Shorter tracks are dropped, frames, 2 to 100.
  double max_return_px = 0.6;           ///< Forward and backward may disagree by this much, px, > 0.
  double min_likeness = 0.75;           ///< Correlation with the reference patch below which a track is lost, 0 to 1.

  Status check() const;
  bool operator==(const FollowOptions&) const = default;
};

using TrackSetPtr = std::shared_ptr<const TrackSet>;

/// Finds features and follows them forward through the footage. Every step is checked by following it back; drift is
/// held by aligning with the patch as it was when the feature was found (affine, gain and bias free). Places that run
/// dry get new features. One thread decodes while the others track.
/// `on_partial`, when set, hears the tracks so far a few times a second, from the calling thread.
/// Errors: InvalidInput for options out of range; whatever the source says about a frame. Cancel returns the tracks so
/// far with summary.termination Cancelled.
/// Sources: see detect.h and patch.h; forward and backward: Kalal, Mikolajczyk and Matas, ICPR 2010.
Result<TrackSetPtr> followFeatures(FrameSource& source, const FollowOptions& options, const Progress& progress,
                                   const std::function<void(TrackSetPtr)>& on_partial = {});

}  // namespace dusky
