#pragma once
#include "core/deliver/delivery_options.h"
#include "core/lens/plate.h"
#include "core/solve/solution.h"

namespace dusky {

/// The undistorted picture that delivered cameras look through, of all frames that have a camera; of a zoom its focal length may go along.
Plate plateOf(const Solution& solution, const PlateOptions& options);

/// Whether every frame is looked at through the same lens.
bool oneLens(const Solution& solution);

}  // namespace dusky
