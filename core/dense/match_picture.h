#pragma once
#include "core/dense/lanes.h"
#include "core/dense/pinhole.h"
#include "core/image/plane.h"

namespace dusky {

/// An undistorted grey picture that depth is made from, at one size, as it is compared.
struct MatchPicture {
  Pinhole camera;
  FloatPlane grey;               ///< 0 to 255; less than 32768 px wide and high.
  Plane<std::uint32_t> corners;  ///< A pixel with its neighbours to the right, below and both, a byte each: what sampling between them needs in one place.
  Plane<std::uint8_t> usable;    ///< 0: masked, or the footage shows nothing there. Empty: everything is usable.

  bool uses(int x, int y) const { return usable.empty() || usable.at(x, y) != 0; }
  /// Bilinear values at eight places, clamped to the picture unless all are known to lie a pixel inside.
  template <bool kInside = false>
  Lanes at(Lanes u, Lanes v) const {
    u -= 0.5F, v -= 0.5F;
    if (!kInside) {
      u = smaller(larger(u, Lanes{}), allLanes(static_cast<float>(grey.width) - 1.001F));
      v = smaller(larger(v, Lanes{}), allLanes(static_cast<float>(grey.height) - 1.001F));
    }
    const LaneInts x = wholeOf(u), y = wholeOf(v);
    const LaneInts four = gathered(corners.data.data(), smallProducts(y, LaneInts{} + grey.width) + x);
    const Lanes a = u - lanesOf(x), b = v - lanesOf(y);
    const Lanes p00 = lanesOf(four & 255), p10 = lanesOf((four >> 8) & 255), p01 = lanesOf((four >> 16) & 255), p11 = lanesOf((four >> 24) & 255);
    const Lanes top = p00 + a * (p10 - p00), below = p01 + a * (p11 - p01);
    return top + b * (below - top);
  }
};

/// What is usable in a picture so many times smaller: pixels all of whose own are. Empty: everything is.
Plane<std::uint8_t> reducedUsable(const Plane<std::uint8_t>& usable, int times);

MatchPicture matchPicture(const Pinhole& camera, FloatPlane grey, Plane<std::uint8_t> usable = {});

/// The same of half the size, of all sizes down to a side of 24 px, at most so many; the first is the picture itself.
std::vector<MatchPicture> matchPyramid(MatchPicture picture, int levels);

}  // namespace dusky
