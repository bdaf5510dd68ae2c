#pragma once
#include <functional>
#include <string>
#include <vector>

#include "core/base/progress.h"
#include "core/image/frame_source.h"

namespace dusky {

/// What may be wrong with a frame.
enum class FrameFault : std::uint8_t { None, Blurred, Repeated, Cut };

/// One frame as the check saw it.
struct CheckedFrame {
  int frame = 0;
  double sharpness = 0;   ///< Mean squared gradient, (grey levels / px)^2.
  double brightness = 0;  ///< Mean luma, 0 to 255.
  double change = 0;      ///< Mean absolute difference from the frame before, grey levels, light change taken out; 0 for the first.
  FrameFault fault = FrameFault::None;
  std::string sentence;  ///< Why it was marked; empty when it was not.
};

struct FrameCheckOptions {
  FrameRange range;
  double blurred_share = 0.45;   ///< Marked when less sharp than this share of its neighbours' median, 0 to 1.
  double repeated_share = 0.12;  ///< Marked when it changes less than this share of its neighbours' median, 0 to 1.
  double cut_factor = 6;         ///< Marked when it changes more than this many times its neighbours' median, > 1.
};

/// Appearance through footage for frames that spoil a solve: blurred ones, repeated ones (pulldown), and cuts (the first frame after one).
/// Each frame is compared with its own surroundings, so a soft or a still shot is not marked as a whole.
/// Errors: InvalidInput for a range outside the footage or a cancelled check; what the source says about a frame.
Result<std::vector<CheckedFrame>> checkFrames(FrameSource& source, const FrameCheckOptions& options, const Progress& progress);

}  // namespace dusky
