#pragma once
#include <optional>
#include <string>
#include <vector>

#include "core/image/frame_source.h"
#include "core/solve/solution.h"

namespace dusky {

/// Fewer kept tracks than this in a frame, and its camera hangs on them.
inline constexpr int kThinTracks = 20;

/// What a person needs to know of a solve, in one line, and where to look.
struct Verdict {
  std::optional<int> thinnest_frame;      ///< The placed frame with fewest kept tracks; none where no frame is placed.
  int thinnest_tracks = 0;                ///< Kept tracks there.
  std::string hurt;                       ///< One sentence: what hurts most, or that nothing does.
  bool fine = false;                      ///< Nothing stands out.
  std::optional<FrameRange> hurt_frames;  ///< Frames it is about.
  std::vector<int> hurt_tracks;           ///< Tracks behind it, worst first.
};

/// Judges a finished solve. In order of weight: frames without a camera, a holdout error well above the RMS, frames with few tracks, a run
/// of frames whose error stands out, else nothing.
Verdict judgeSolution(const Solution& solution);

/// A top for the error scale at which this solve's usual errors are dim and its bad ones glow: about four times the RMS, as 1, 2 or 5
/// times a power of ten, px.
double usualErrorTop(const Solution& solution);
}  // namespace dusky
