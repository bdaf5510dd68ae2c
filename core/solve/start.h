#pragma once
#include "core/solve/skeleton.h"
#include "core/solve/solve_options.h"

namespace dusky {

/// What a solve begins with: some frames placed under a first lens.
struct SolveStart {
  Reconstruction work;
  bool nodal = false;
  std::string why;  ///< In a sentence: what decided between a camera that moves and one that only turns.
};

/// What is free before the staircase: the focal length, and the model's first coefficient so that rough keyframes fit.
LensFreedom firstFreedom(const SolveOptions& options, LensModel model);

/// Lenses and kinds of focal length that are worth trying.
std::vector<SkeletonStart> startsToTry(const SolveOptions& options, int width, int height);

/// Tries the starts on the keyframes, each with a camera that moves and with one that only turns, and takes the explanation that the tracks bear
/// out: the truncated errors of both over the same tracks, and a price for every unknown.
/// Errors: CannotSolve with the reason. Cancelled. Source: Torr, IJCV 50(1), 2002 (GRIC), with the logarithm of all observations as the price.
Result<SolveStart> findStart(const Reconstruction& work, const TrackSet& tracks, const SolveOptions& options, const Progress& progress);
}  // namespace dusky
