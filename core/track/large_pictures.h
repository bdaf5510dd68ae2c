#pragma once
#include "core/track/follow_features.h"

namespace dusky {

/// How many times smaller a picture of this width is tracked: 1, 2, 4 ... so that it is at most 2048 px wide.
int trackedReduction(int width);

/// A plane so many times smaller (a power of two); continuous coordinates are divided exactly.
FloatPlane reduced(FloatPlane plane, int times);

/// followFeatures for pictures that are tracked smaller (trackedReduction over 1): found and followed in the reduced picture, then placed in
/// the picture at full size by the piece of it that each track began with. A place that the full size does not confirm stays as it was
/// followed. Options in px are px of the reduced picture; regions, masks and the result are at full size. Errors and cancel: the same.
Result<TrackSetPtr> followInLargePictures(FrameSource& source, const FollowOptions& options, const Progress& progress, const FollowScope& scope,
                                          const std::function<void(TrackSetPtr)>& on_partial);

}  // namespace dusky
