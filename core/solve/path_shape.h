#pragma once
#include "core/solve/reconstruction.h"
#include "core/solve/solve_options.h"

namespace dusky {

/// Holds the cameras to the line or the plane that fits them best, as firmly as a thousandth of the path against errors of `spread_px`; takes such
/// a hold away for any other motion.
void shapePath(Reconstruction& work, CameraMotion motion, double spread_px);

}  // namespace dusky
