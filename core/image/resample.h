#pragma once
#include <cstdint>

#include "core/image/plane.h"

namespace dusky {

/// Where each pixel of a picture comes from in another one: px, the first one's centre at (0.5, 0.5); not a number: from nowhere.
using SourceMap = Plane<std::array<float, 2>>;

/// Of two pixels each way; of four (Catmull and Rom, 1974); of six, a windowed sinc (Duchon, Journal of Applied Meteorology 18(8), 1979).
enum class ResampleFilter : std::uint8_t { Linear, Cubic, Lanczos };

/// A picture that others are made of. Beyond its edges it goes on with what is there.
class ResampleSource {
 public:
  explicit ResampleSource(const FloatPicture& picture);

  /// Pixels that come from nowhere, or from outside, are 0.
  FloatPicture resampled(const SourceMap& map, ResampleFilter filter) const;
  /// Whether the source shows a place.
  bool shows(const std::array<float, 2>& place) const { return place[0] >= 0 && place[1] >= 0 && place[0] <= width_ && place[1] <= height_; }

 private:
  using Pixel = std::array<float, 4>;
  float width_, height_;
  Plane<Pixel> padded_;
};

/// A picture so many times smaller each way, of means; what is left over at right and below is cut off.
FloatPicture reducedBy(const FloatPicture& picture, int times);

}  // namespace dusky
