#pragma once
#include "core/solve/stages.h"

namespace dusky {

/// Finds what explains the tracks: a camera that moves or one that only rotates, with one focal length or one that changes, a shutter that reads at once or row
/// by row. Each kind that the keyframes do not rule out is solved as far as the lens, and what has the least description length over the same sightings is
/// kept; the state says why. What the options say is not looked for.
/// `noise_px`: of one coordinate of the sightings (noiseFloor()). Errors: CannotSolve with the reason; Cancelled.
Result<SolveState> findExplanation(const SolveTask& task, double noise_px);

}  // namespace dusky
