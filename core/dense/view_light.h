#pragma once
#include <cstddef>
#include <span>
#include <utility>
#include <vector>

#include "core/dense/depth_map.h"
#include "core/dense/match_picture.h"

namespace dusky {

/// The logarithm of how many times as bright a view is as another one, by grey values where the depth map has both see the same, neither nearly black nor
/// white: the middle one of such places; unknown where there are few.
double lightRatio(const MatchPicture& view, const MatchPicture& other, const DepthMap& map);

/// That a view is `log_ratio` brighter than another one.
struct LightTie {
  std::size_t view = 0, other = 0;
  double log_ratio = 0;
};

/// Those of view `at` of `frames`: `lighter` are frames that it was compared with, and how much brighter it is than each.
void addTies(const std::vector<std::pair<int, double>>& lighter, std::size_t at, const std::vector<int>& frames, std::vector<LightTie>& ties);

/// How bright each view is beside the mean of all, as a logarithm: by least squares of all ties. Views that nothing ties are as the mean.
std::vector<double> lightOf(std::size_t views, std::span<const LightTie> ties);

}  // namespace dusky
