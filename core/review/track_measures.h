#pragma once
#include <vector>

#include "core/solve/solution.h"
#include "core/track/track_set.h"

namespace dusky {

/// What tells good tracks from bad ones, as a solve has it.
struct TrackMeasures {
  int id = 0;
  int life = 0;
  double typical_px = kUnknown, worst_px = kUnknown;
  double parallax_deg = kUnknown;    ///< Unknown without a depth.
  double depth_sigma_pc = kUnknown;  ///< Of the distance from the nearest camera that sees it.
  double depth = kUnknown;           ///< Distance from the nearest camera that sees it, solve's units.
  double distance = kUnknown;        ///< The same, times the median of the kept ones.
  bool behind = false;
  double creep_px = 0;   ///< Along the line that its errors follow through time; 0 where chance does as much.
  double shared_px = 0;  ///< What its errors have in common with those of its neighbours, RMS.
};
/// What is usual among the kept tracks: medians; unknown where there are none.
struct UsualMeasures {
  double typical_px = kUnknown, shared_px = kUnknown;
};
UsualMeasures usualOf(const Solution& solution, const std::vector<TrackMeasures>& measured);
/// Of each track that has a place, ascending by id. `tracks`: those that the solution was made from.
std::vector<TrackMeasures> measureTracks(const Solution& solution, const TrackSet& tracks);

}  // namespace dusky
