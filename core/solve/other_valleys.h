#pragma once
#include "core/solve/stages.h"

namespace dusky {

// Small parallax under an unknown focal length has more than one valley: what stands in one is begun again in another, and carried on to its end there.

/// The camera on the other side of its pivot, or of its path's middle, and the set's depths turned inside out.
/// Source: the reversal ambiguity, Szeliski and Kang, PAMI 19(5), 1997.
SolveState insideOut(SolveState state, const SolveTask& task);

/// The camera's rotations about a pivot behind it (`side` 1) or before it (-1), with nothing known of how far the set is.
SolveState fromPivot(SolveState state, double side, const SolveTask& task);

/// Lets a camera that was held to its pivot go where it will.
SolveState leavingPivot(SolveState state, const SolveTask& task);

/// Another focal length, and a set as much deeper along the way the cameras look: in the pictures nearly the same.
/// Source: the bas-relief ambiguity, Szeliski and Kang, PAMI 19(5), 1997.
void lookThrough(Reconstruction& work, double focal_times);

/// Looks through another focal length, lets the rest follow, and goes on from there.
SolveState throughOtherFocal(SolveState state, double focal_times, const SolveTask& task);

}  // namespace dusky
