#pragma once
#include <vector>

#include "core/solve/solution.h"

namespace dusky {

/// What a solve says of one frame, beside SolvedFrame's RMS.
struct FrameFigures {
  int frame = 0;
  double worst_px = kUnknown;  ///< Largest error of a kept track that takes part here.
  double explained_share =
      kUnknown;    ///< Of the sightings here, also of tracks that were set aside: those that the solve uses. Without what an artist set aside.
  int tracks = 0;  ///< Kept tracks that take part here.
};
/// Of each frame of the solution, in its order.
std::vector<FrameFigures> frameFigures(const Solution& solution);

/// Kept tracks with the largest errors in a frame, worst first: at most `most`, and only such as are over the frame's RMS.
std::vector<int> worstTracksIn(const Solution& solution, int frame, int most);

}  // namespace dusky
