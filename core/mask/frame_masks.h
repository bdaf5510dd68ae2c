#pragma once
#include <Eigen/Core>
#include <cstdint>

#include "core/base/result.h"
#include "core/image/plane.h"

namespace dusky {

/// What is left out of a frame: a plane of the footage's size, not 0 where nothing may be tracked. An empty plane leaves nothing out.
using LeftOut = Plane<std::uint8_t>;

/// Share of a feature's window that is left out, 0 to 1.
double leftOutShare(const LeftOut& left_out, const Eigen::Vector2d& place, double radius_px);

/// Share of its window from which on a track counts as masked.
inline constexpr double kMostLeftOut = 0.35;

/// Masks by frame number. Not shared between threads.
class FrameMasks {
 public:
  virtual ~FrameMasks() = default;
  /// Errors: what a matte's file says when it cannot be read.
  virtual Result<LeftOut> leftOut(int frame) = 0;
};
}  // namespace dusky
