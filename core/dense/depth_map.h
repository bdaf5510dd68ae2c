#pragma once
#include <array>

#include "core/dense/pinhole.h"
#include "core/image/plane.h"

namespace dusky {

/// How deep each pixel of an undistorted picture lies.
struct DepthMap {
  int frame = 0;
  Pinhole camera;
  FloatPlane depth;                    ///< Along the axis, the solve's units; 0: not known.
  Plane<std::array<float, 3>> normal;  ///< Of the surface, camera axes, towards the camera, unit; meaningless where depth is 0.
  FloatPlane cost;                     ///< 1 - correlation with the neighbours, 0 (alike) to 2.
  FloatPlane sigma;                    ///< One standard deviation of depth as picture noise makes it, the solve's units.
};

}  // namespace dusky
