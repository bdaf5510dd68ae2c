#pragma once
#include <algorithm>
#include <optional>
#include <vector>

#include "core/solve/reconstruction.h"

namespace dusky {

/// Frames far enough apart to see parallax between neighbours, near enough to share tracks. Indices within the range.
std::vector<int> chooseKeyframes(const TrackSet& tracks);

struct Skeleton {
  Reconstruction work;         ///< Keyframes and their tracks placed.
  double median_error_px = 0;  ///< Over all observations of placed tracks in keyframes.
  double median_parallax_rad = 0;
  int placed_tracks = 0, placed_keyframes = 0;
};

/// What so many placed keyframes are worth: their median error, more for those that have no camera.
inline double costOfPlaced(double median_error_px, int placed, std::size_t keyframes) {
  return (median_error_px + 0.05) * static_cast<double>(keyframes) / std::max(1, placed);
}

/// What a skeleton is tried with.
struct SkeletonStart {
  Lens lens;
  bool zoom = false;        ///< Every keyframe has a focal length of its own, all beginning with the lens's.
  LensFreedom free_lens{};  ///< Once there are enough keyframes to tell.
};

/// What is believed of a lens's first coefficient while everything is rough: keyframes must not be explained by a lens that nobody builds.
LensPrior roughPrior(LensModel model);

/// Gives a reconstruction the lens, for all of its cameras; a zoom's keyframes are tied to their neighbours.
void beginWithLens(Reconstruction& work, const std::vector<int>& keyframes, const SkeletonStart& with);

/// Solves the keyframes alone, beginning with the pair that has most agreeing tracks and parallax under this lens, then
/// adding the keyframe that sees most placed tracks, with adjustment on the way; what is free of the lens moves. Nothing where no pair fixes a
/// pose. Source: incremental growing as in Pollefeys et al., IJCV 59(3), 2004.
std::optional<Skeleton> growSkeleton(const Reconstruction& start, const std::vector<int>& keyframes, const SkeletonStart& with, std::uint64_t seed,
                                     const Progress& progress);
}  // namespace dusky
