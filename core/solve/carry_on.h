#pragma once
#include "core/solve/reconstruction.h"

namespace dusky {

/// Gives a reconstruction what an earlier solve of the same shot found: cameras by frame number, lenses, points by track number. Returns what of
/// the lens was free there.
LensFreedom takeFrom(const Solution& earlier, Reconstruction& work);

}  // namespace dusky
