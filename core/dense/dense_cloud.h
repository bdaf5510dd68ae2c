#pragma once
#include <cstdint>
#include <memory>
#include <vector>

#include "core/geometry/pose.h"
#include "core/image/plane.h"

namespace dusky {

/// One place on the set's surface.
struct DensePoint {
  Eigen::Vector3f at = Eigen::Vector3f::Zero();      ///< The solve's own world.
  Eigen::Vector3f normal = Eigen::Vector3f::Zero();  ///< Unit, towards the cameras.
  Rgb color;
  std::uint8_t views = 0;        ///< Depth maps that agree on it.
  float confidence = 0;          ///< 0 to 1: how alike the pictures are there, over the views that agree and those that do not.
  float sigma = 0;               ///< One standard deviation along the ray, the solve's units.
  float pixel = 0;               ///< What a pixel of its depth map covers there, across the ray, the solve's units.
  std::uint8_t slant_deg = 0;    ///< Between its normal and the view that sees it most squarely, degrees.
  std::uint8_t color_apart = 0;  ///< Farthest that what a view shows is from their mean, grey levels.
};

struct DenseCloud {
  std::vector<DensePoint> points;
};
using DenseCloudPtr = std::shared_ptr<const DenseCloud>;

}  // namespace dusky
