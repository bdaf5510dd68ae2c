#pragma once
#include <functional>

#include "core/deliver/delivery_view.h"

namespace dusky {

/// A frame of the footage as an undistorted picture.
struct PlateFrame {
  int frame = 0;                          ///< The footage's number.
  FloatPicture picture;                   ///< As the footage holds its values.
  std::shared_ptr<const SourceMap> from;  ///< Where in the footage its pixels come from.
  bool linear = false;                    ///< Values are light itself.
};

/// Undistorts frames, several at once, and hands each to `take`, which may keep its picture and be called on any thread. At most a few frames are held at a
/// time. Errors: what reading the footage and `take` say; Cancelled.
Status forEachPlate(const DeliveryInput& input, const Plate& plate, ResampleFilter filter, const std::vector<int>& frames,
                    const std::function<Status(PlateFrame&)>& take, const Progress& progress, bool in_order = false);

/// The frames that can be undistorted: those with a picture whose lens is known.
std::vector<int> plateFrames(const DeliveryInput& input);

/// Its values for a screen (IEC 61966-2-1), 0 to 1; of log footage as they are.
FloatPicture forScreen(const PlateFrame& plate, bool log);
/// Values for a screen in 8 bits; `share`: of their brightness.
Picture bytesOf(const FloatPicture& values, float share = 1);

/// "plate.0104.png"
std::string plateName(int frame, std::string_view ending);

}  // namespace dusky
