#pragma once
#include "core/dense/depth_map.h"

namespace dusky {

struct SmoothOptions {
  int reach_px = 6;          ///< > 0.
  int rounds = 2;            ///< >= 0.
  double most_apart = 0.01;  ///< Of the depth, a share: facets that say something else there belong to another surface.
  float most_cost = 0.6F;    ///< 1 - correlation: facets of more are not asked.
};

/// Each pixel's depth as the facets of those around it have it there, the mean of all that agree with it: of patches that overlap, each is wrong in its own way
/// where a picture is soft, grainy or compressed. Edges stay: beyond them facets say something else (a bilateral filter over planes, after Tomasi and Manduchi,
/// ICCV 1998). The same with any number of threads.
void smoothFacets(DepthMap& map, const SmoothOptions& options);

}  // namespace dusky
