#pragma once
#include <string>
#include <vector>

#include "core/solve/solution.h"

namespace dusky {

/// Fewer kept tracks than this in a frame, and its camera hangs on them.
inline constexpr int kThinTracks = 20;

/// What a person needs to know of a solve, in one line, and where to look.
struct Verdict {
  int thinnest_tracks = 0, thinnest_frame = 0;  ///< The placed frame with fewest kept tracks.
  std::string hurt;                             ///< One sentence: what hurts most, or that nothing does.
  bool fine = false;                            ///< Nothing stands out.
  int hurt_first = 0, hurt_last = 0;            ///< Frames it is about; 0 when it is about none.
  std::vector<int> hurt_tracks;                 ///< Tracks behind it, worst first.
};

/// Judges a finished solve. In order of weight: frames without a camera, a holdout error well above the RMS, frames with few tracks, a run
/// of frames whose error stands out, else nothing.
Verdict judgeSolution(const Solution& solution);

/// A top for the error scale at which this solve's usual errors are dim and its bad ones glow: about four times the RMS, as 1, 2 or 5
/// times a power of ten, px.
double usualErrorTop(const Solution& solution);
}  // namespace dusky
