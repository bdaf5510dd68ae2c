#pragma once
#include "core/solve/solve_shot.h"

namespace dusky {

/// solveShot(), and what is to be said of its result: its warnings, and why frames have no camera. This is what both programs run.
/// Errors: as solveShot().
Result<SolutionPtr> reviewedSolve(const TrackSet& tracks, const SolveOptions& options, const Progress& progress,
                                  const std::function<void(SolutionPtr)>& on_partial = {}, const SolutionPtr& from = nullptr);

/// The same of a solve that was made otherwise.
SolutionPtr reviewed(const TrackSet& tracks, const SolveOptions& options, const SolutionPtr& solution, const Progress& progress);

}  // namespace dusky
