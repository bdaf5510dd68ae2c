#pragma once
#include <functional>
#include <memory>

#include "core/image/frame_source.h"
#include "core/mask/frame_masks.h"
#include "core/track/detect.h"
#include "core/track/track_set.h"

namespace dusky {

struct FollowOptions {
  // What changes the result (and so the step's key).
  int first_frame = 0, last_frame = 0;  ///< Range, both included; 0, 0: all of the footage.
  int features = 600;                   ///< Followed at one time, 20 to 20000: more is steadier and slower.
  double min_strength = 3.0;            ///< See DetectOptions; > 0. Higher: fewer and better features.
  double min_distance_px = 11;          ///< Between features, px, 4 to 200.
  FeatureSizes sizes;                   ///< At least one.
  int edge_margin_px = 0;               ///< No features nearer to the picture's edge, px, 0 to 500; never less than a patch needs.
  int patch_radius = 11;                ///< Half side of the reference patch, px, 4 to 30.
  int min_life = 4;                     ///< Shorter tracks are dropped, frames, 2 to 100.
  double max_return_px = 0.6;           ///< Forward and backward may disagree by this much, px, > 0.
  double min_likeness = 0.75;           ///< Correlation with the reference patch below which a track is lost, 0 to 1.
  double max_sigma_px = 0.35;           ///< A place less certain than this, along an edge or in soft texture, ends a track; px, > 0.
  double max_occluded = 0.25;           ///< A ninth of the patch may differ by this much of the patch's contrast before a track is lost, > 0.
  bool rejoin = true;                   ///< Join tracks that are hidden or leave and come back.
  bool both_ways = true;                ///< Also grown back in time from where they were found.

  Status check() const;
  bool operator==(const FollowOptions&) const = default;
};

/// Where and when features are looked for.
struct FollowScope {
  int step = 1;                         ///< Every n-th frame of the range, from its first; >= 1.
  std::vector<int> left_out;            ///< Frames not looked at, ascending.
  FrameMasks* masks = nullptr;          ///< Not owned; unset: nothing is left out.
  std::vector<Vec2> region;             ///< New features only inside this closed line, full-size px; empty: anywhere.
  FrameRange births;                    ///< New features only in these frames; 0, 0: in any.
  const TrackSet* existing = nullptr;   ///< Tracks there are already: they count towards a full picture, stay, and come first in the result.
  std::size_t keep_bytes = 384u << 20;  ///< Memory for frames kept for the way back. Changes speed, not the result.
};

/// Finds features and follows them through the footage, forward and then back in time from where they were found. Every step is
/// checked by following it back; drift is held by aligning with the patch as it was when the feature was found (affine, gain and bias
/// free). Places that run dry get new features. One thread decodes while the others track.
/// `on_partial`, when set, hears the tracks so far a few times a second, from the calling thread.
/// Errors: InvalidInput for options out of range and for masks that leave nothing; whatever the source says about a frame. Cancel
/// returns the tracks so far with summary.termination Cancelled.
/// Sources: see detect.h, patch.h and reference.h; forward and backward: Kalal, Mikolajczyk and Matas, ICPR 2010.
Result<TrackSetPtr> followFeatures(FrameSource& source, const FollowOptions& options, const Progress& progress, const FollowScope& scope = {},
                                   const std::function<void(TrackSetPtr)>& on_partial = {});

/// A frame's luma made ready: softened, and its halvings.
Pyramid preparedPyramid(const FloatPlane& luma);

/// The features that following would begin with in a frame without any yet. `left_out` may be empty.
std::vector<Feature> candidatesIn(const Pyramid& pyramid, const FollowOptions& options, const LeftOut& left_out);

/// The frames of a range that are looked at. Errors: InvalidInput for a range outside the footage, or one that holds no frame.
Result<std::vector<int>> framesToFollow(const FootageInfo& info, const FollowOptions& options, const FollowScope& scope);

}  // namespace dusky
