#pragma once
#include "core/deliver/delivery_view.h"

namespace dusky {

/// One frame as a splat training would feel it.
struct SplatFrame {
  int frame = 0;          ///< The footage's number.
  double sharpness = 0;   ///< Mean squared gradient, (grey levels / px)^2.
  double brightness = 0;  ///< Mean luma, 0 to 255.
  bool blurred = false;   ///< Much less sharp than the frames around it.
  bool chosen = false;
  bool test = false;  ///< Kept for testing.
};

/// Looks at all placed frames with a picture and chooses: as far apart in place and view as can be, the sharp ones first. Every frame where no more than
/// `most_pictures` are there, but for blurred ones that have a neighbour. Errors: what reading the footage says; Cancelled.
Result<std::vector<SplatFrame>> chooseSplatFrames(const DeliveryInput& input, const DeliveryView& view, const SplatOptions& options, const Progress& progress);

/// What a training will suffer from.
struct SplatReadiness {
  struct Concern {
    std::string what;  ///< "blur", "movers", "views", "exposure", "camera", "parallax".
    std::string sentence;
    double value = 0;  ///< The figure in it.
  };
  int blurred = 0;                 ///< Of the chosen ones.
  double exposure_jump = 0;        ///< Largest change of brightness between neighbours, as a share.
  double thin_share = 0;           ///< Of the points: those whose chosen views lie within 5 degrees.
  double stability_px = kUnknown;  ///< How far the camera may be off, by the verdict.
  std::vector<Concern> concerns;   ///< Empty: nothing speaks against it.
};
SplatReadiness readinessOf(const DeliveryInput& input, const DeliveryView& view, const std::vector<SplatFrame>& frames);

}  // namespace dusky
