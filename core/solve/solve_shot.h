#pragma once
#include <functional>

#include "core/solve/solution.h"
#include "core/solve/solve_options.h"
#include "core/track/track_set.h"

namespace dusky {

/// Camera path, lens and points from tracks: keyframes first (initial pair and growing, or a camera that only rotates) under several trial lenses,
/// then every frame, then the staircase of lens parameters, then rounds of adjusting and sorting out: robust while errors are
/// large, then plain least squares over what lies within four standard deviations.
/// The world of the result is free: position, rotation and scale are set later by the scene.
/// `from`: carry on from an earlier solve of the same shot: its cameras, lens and points are where it begins, frames without a camera are tried
/// again, and the lens stays released as it was.
/// `on_partial`, when set, hears the camera path as it grows, from the calling thread.
/// Errors: InvalidInput for options out of range; CannotSolve with the reason: no motion, no parallax, too few tracks.
/// Cancelled when stopped (no result is kept).
Result<SolutionPtr> solveShot(const TrackSet& tracks, const SolveOptions& options, const Progress& progress,
                              const std::function<void(SolutionPtr)>& on_partial = {}, const SolutionPtr& from = nullptr);
}  // namespace dusky
