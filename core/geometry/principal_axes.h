#pragma once
#include <vector>

#include "core/geometry/pose.h"

namespace dusky {

/// Principal axes of some places, the narrowest first, and how far they reach along them (root mean square).
struct PrincipalAxes {
  Vec3 middle = Vec3::Zero(), extent = Vec3::Zero();
  Mat3 directions = Mat3::Identity();

  /// The direction in which they spread most.
  Vec3 along() const { return directions.col(2); }
  /// RMS distance from their middle.
  double reach() const { return extent.norm(); }
};
/// Of one place or more.
PrincipalAxes principalAxes(const std::vector<Vec3>& places);

}  // namespace dusky
