#pragma once
#include <functional>
#include <vector>

#include "core/base/result.h"
#include "core/solve/solution.h"

namespace dusky {

struct KeyframeOptions {
  int most = 60;          ///< Keyframes, >= 3.
  double step_deg = 0.7;  ///< By which the direction to the set changes from one to the next, degrees, > 0; a turn of the view that loses a tenth of it counts
                          ///< as one step too.
  std::size_t others = 10;       ///< That a keyframe is compared with, the best first, >= 1.
  std::vector<int> frames = {};  ///< That an artist chose in their place, ascending; those without a camera are left out. Empty: none were.
};

/// Of frames near each other, ascending, how sharp each is: larger is sharper, as a logarithm (sharpnessOf()).
using SharpnessOf = std::function<Result<std::vector<double>>(const std::vector<int>& frames)>;

/// A frame that depth is made for.
struct Keyframe {
  int frame = 0;
  std::vector<std::size_t> others;  ///< Keyframes that see the same of the set from elsewhere, by index; the best for depth first.
  double parallax_rad = 0;          ///< Between it and the first of them, the middle of the points that both see.
};

/// Frames evenly along the camera's path, the sharpest and steadiest near each even place where `sharpness` is given, and for each those that tell its depth
/// best: by the angle at which both see the points they share (peaked as by Yao et al., ECCV 2018), how large they see them, and how far those chosen already
/// lie from each other. Errors: InvalidInput where too few frames have a camera, or the camera's path shows no parallax; what `sharpness` says.
Result<std::vector<Keyframe>> chooseKeyframes(const Solution& solution, const KeyframeOptions& options, const SharpnessOf& sharpness = {});

/// How far what a frame sees lies, by the points of tracks in it: all but the nearest and farthest, with room to both sides. Errors: InvalidInput where it sees
/// too few.
struct DepthReach {
  double near = 0, far = 0;  ///< Along the axis, the solve's units.
};
Result<DepthReach> depthReach(const Solution& solution, const SolvedFrame& frame);

}  // namespace dusky
