#pragma once
#include <span>
#include <vector>

#include "core/base/progress.h"
#include "core/dense/depth_map.h"
#include "core/dense/match_picture.h"
#include "core/dense/plane_sweep.h"

namespace dusky {

struct DepthSearchOptions {
  float noise = 1;      ///< Standard deviation of the pictures' grey values, levels, > 0.
  int start_level = 2;  ///< Halvings of the picture in which planes are swept, >= 0.
  int rounds = 1;       ///< In which facets go over to neighbours at the finest size, >= 1.
};

/// The depth and normal of every pixel of a picture, from its neighbours in view.
/// First planes are swept through a small picture (plane_sweep.h). Then, from size to size, each pixel takes of its own facet, those around it and some changed
/// at random what makes the pictures most alike (PatchMatch stereo: Bleyer, Rhemann, Rother, BMVC 2011; by halves of a checkerboard: Galliani, Lasinger,
/// Schindler, ICCV 2015). The result does not depend on the number of threads.
/// Where progress asks to stop, what comes back means nothing.
/// `reference` and each of `neighbours`: sizes from the largest on (matchPyramid()); 1 to kMostNeighbours neighbours.
DepthMap searchDepth(const std::vector<MatchPicture>& reference, std::span<const std::vector<MatchPicture>* const> neighbours, const InverseDepthRange& range,
                     const DepthSearchOptions& options, const Progress& progress);

}  // namespace dusky
