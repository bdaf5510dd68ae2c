#pragma once
#include "core/dense/depth_search.h"
#include "tests/support/shot_maker.h"

namespace dusky::testing {

struct DepthErrors {
  double within_1_percent = 0;  ///< Of the pixels whose depth is true and known: a share.
  double median = 0;            ///< Of their relative errors.
};

/// The depth that a frame of a made shot truly has, under a lens without distortion.
struct TrueDepth {
  Pinhole camera;
  FloatPlane depth;  ///< 0: sky, or far beyond the set.

  DepthErrors errorsOf(const FloatPlane& found) const;
  /// In which it lies, with room.
  InverseDepthRange range() const;
};
/// Along the axis, at the middle of each pixel of a lens; 0: sky, or far beyond the set.
FloatPlane depthSeen(const MadeShot& shot, int index, const Lens& lens);
TrueDepth trueDepth(const MadeShot& shot, int index);

/// A small shot to make depth of, under a lens without distortion.
ShotPlan depthPlan();

/// The camera of a frame of a shot without distortion.
Pinhole straightCamera(const MadeShot& shot, int index);
/// Its picture as depth is made from it.
std::vector<MatchPicture> straightView(MadeShot& shot, int index);

}  // namespace dusky::testing
