#pragma once
#include <span>

#include "core/dense/depth_map.h"
#include "core/dense/match_picture.h"

namespace dusky {

/// How far the pictures of others lie from where the cameras have them, px of `reference`: across the epipolar lines, where no depth can make up for it, and
/// so what the cameras themselves are off beside one another. Small patches are put where the depth map has them and aligned (Lucas and Kanade, IJCAI 1981);
/// of each of twelve parts of the picture the middle one counts, and of the parts the middle one, so that what moves or shines does not; what noise alone would
/// show is taken off. Of several neighbours the middle one; unknown where too little of the picture tells. `noise`: standard deviation of grey values.
double pictureOffset_px(const MatchPicture& reference, std::span<const MatchPicture* const> neighbours, const DepthMap& map, float noise);

}  // namespace dusky
