#pragma once
#include <vector>

#include "core/image/frame_source.h"
#include "core/solve/solution.h"

namespace dusky {

/// How sharp frames near each other are, each beside the first: the logarithm of how many times as strongly grey values change around the points that both
/// show, the middle one of those points (the same places of the set are compared, so that what the picture shows has no part in it; gradient energy as in
/// Pertuz, Puig, Garcia, Pattern Recognition 46(5), 2013). 0 for the first; 0 too for a frame that shares too few points with it to tell.
/// Errors: what reading says.
Result<std::vector<double>> sharpnessOf(const Solution& solution, FrameSource& footage, const std::vector<int>& frames);

}  // namespace dusky
