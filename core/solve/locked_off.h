#pragma once
#include "core/solve/stages.h"

namespace dusky {

/// A camera that neither moves nor turns, as one that only rotates: every track is a direction. Its focal length is what is known of it, or a usual one:
/// nothing in the footage tells it. Errors: CannotSolve. Cancelled.
Result<SolveState> lockedOff(const SolveTask& task);

/// Whether nothing was said of the focal length.
bool focalIsOpen(const SolveOptions& options, LensModel model);

}  // namespace dusky
