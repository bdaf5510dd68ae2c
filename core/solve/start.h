#pragma once
#include "core/solve/skeleton.h"
#include "core/solve/solve_options.h"

namespace dusky {

/// What a solve may begin with: some frames placed under a first lens.
struct SolveStart {
  Reconstruction work;
  bool nodal = false;
  double length = 0;           ///< Its description length over the keyframes.
  double median_error_px = 0;  ///< Over the keyframes.
};

/// What is free before the staircase: the focal length, and the model's first coefficient so that rough keyframes fit.
LensFreedom firstFreedom(const SolveOptions& options, LensModel model);

/// A lens without distortion, and with what the artist knows of it.
Lens plainLens(const SolveOptions& options, int width, int height, double focal_px, LensModel model);

/// Whether a zoom is looked for: nothing was said of the focal length.
bool zoomIsOpen(const SolveOptions& options);
/// Whether a camera that rotates about a point beside it is looked for: under a known focal length a free path does as well, and asks for no pivot.
bool pivotIsOpen(const SolveOptions& options, LensModel model);

/// Lenses and kinds of focal length that are worth trying.
std::vector<SkeletonStart> startsToTry(const SolveOptions& options, int width, int height);

/// Tries the starts on the keyframes, each with a camera that moves and with one that only rotates, and with a focal length that changes where one value leaves
/// more than the noise. Gives the best explanation of each kind, the likeliest first (description_length.h); those that are far behind are left out.
/// `noise_px`: standard deviation of one coordinate of the sightings, as far as it is known.
/// Errors: CannotSolve with the reason. Cancelled.
Result<std::vector<SolveStart>> findStarts(const Reconstruction& work, const TrackSet& tracks, const SolveOptions& options, double noise_px,
                                           const Progress& progress);
}  // namespace dusky
