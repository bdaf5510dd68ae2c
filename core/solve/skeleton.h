#pragma once
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

/// Solves the keyframes alone, beginning with the pair that has most agreeing tracks and parallax under this lens, then
/// adding the keyframe that sees most placed tracks, with adjustment on the way; focal length and first radial term move
/// when they are free. Nothing where no pair fixes a pose.
/// Source: incremental growing as in Pollefeys et al., IJCV 59(3), 2004.
std::optional<Skeleton> growSkeleton(const Reconstruction& start, const std::vector<int>& keyframes, const Lens& lens, const LensFreedom& free_lens,
                                     std::uint64_t seed, const Progress& progress);

/// Median error when the keyframes are explained by a camera that only turns, with the same lens freedom, over the same
/// observations: near the skeleton's own error means the footage holds no parallax.
double turningOnlyError(const Reconstruction& start, const std::vector<int>& keyframes, const Lens& lens, const LensFreedom& free_lens, std::uint64_t seed,
                        const Progress& progress);

}  // namespace dusky
