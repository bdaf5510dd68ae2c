#pragma once
#include <functional>

#include "core/base/result.h"
#include "core/dense/match_picture.h"
#include "core/dense/plane_sweep.h"
#include "core/image/frame_source.h"
#include "core/lens/plate.h"
#include "core/solve/solution.h"

namespace dusky {

/// A keyframe's undistorted picture, as depth is made from it.
struct DenseView {
  int frame = 0;
  Pinhole camera;
  Picture color;                    ///< For the screen.
  std::vector<MatchPicture> sizes;  ///< From the largest on.
  InverseDepthRange range;
  float noise = 1;  ///< Standard deviation of the largest one's grey values.
};

/// What is left out of a frame of the footage: not 0 there; an empty plane leaves nothing out.
using MaskOf = std::function<Result<Plane<std::uint8_t>>(int frame)>;

/// Where undistorted pictures come from, kept as long as the lens stays the same.
struct Undistortion {
  Lens lens;
  Plate plate;
  SourceMap map;
};

/// The undistorted picture that depth is made in: whole within a quarter beyond the footage's size.
Plate densePlate(const Lens& lens);

/// Undistorts a frame, whole within a quarter beyond its size, and halves it so many times over. `kept`: that of the frame before, or an empty one. Errors:
/// what reading says; as depthReach().
Result<DenseView> makeDenseView(const Solution& solution, const SolvedFrame& frame, FrameSource& footage, const MaskOf& mask, int halvings, Undistortion& kept);

/// Standard deviation of a picture's noise, grey levels, 0.3 to 8: what a mask that takes even slopes and edges away leaves (Immerkaer, CVIU 64(2), 1996) in
/// the smoothest blocks. Fine texture everywhere looks like noise.
float noiseOf(const FloatPlane& grey);

}  // namespace dusky
