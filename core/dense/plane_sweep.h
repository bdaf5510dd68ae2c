#pragma once
#include <span>

#include "core/dense/match_picture.h"

namespace dusky {

/// How far the set reaches, as inverse depths (along the axis); 0 < far < near.
struct InverseDepthRange {
  double far = 0, near = 0;
};

/// The inverse depth of every pixel of a small picture: planes facing the camera are swept through the set in even steps of inverse depth (Collins, CVPR 1996),
/// pictures compared by normalised cross-correlation in small windows, and of all depths those chosen that also go together along the rows and columns
/// (semi-global matching: Hirschmueller, PAMI 30(2), 2008). For pictures of some 160 x 90 px: a start for slanted facets. Needs at least one neighbour.
FloatPlane sweptInverseDepths(const MatchPicture& reference, std::span<const MatchPicture* const> neighbours, const InverseDepthRange& range, float noise);

}  // namespace dusky
