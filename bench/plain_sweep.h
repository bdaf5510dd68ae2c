#pragma once
#include "core/dense/match_picture.h"
#include "core/dense/plane_sweep.h"

namespace dusky::testing {

/// What depth maps are held against: 96 planes that face the camera, even in inverse depth, 7 x 7 windows of plain normalised cross-correlation, the better
/// half of the neighbours, the best plane of each pixel with a parabola. 0: none.
FloatPlane plainSweep(const MatchPicture& reference, std::span<const MatchPicture* const> neighbours, const InverseDepthRange& range);

}  // namespace dusky::testing
