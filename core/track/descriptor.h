#pragma once
#include <Eigen/Core>
#include <array>
#include <cstdint>
#include <optional>

#include "core/image/pyramid.h"

namespace dusky {

/// What the surroundings of a feature look like, whatever way they are turned: histograms of gradient directions in 4 x 4 fields of 8
/// directions, relative to the main direction.
/// Source: Lowe, IJCV 60(2), 2004.
struct Descriptor {
  float direction_rad = 0;                 ///< Main direction of the gradients.
  std::array<std::uint8_t, 128> values{};  ///< Unit length times 512, clipped.

  /// Squared distance of two; 0 to about 520000 (unrelated ones lie around 250000).
  int distanceTo(const Descriptor& other) const;
  /// The same where it is under the limit; else any number from the limit on, found sooner.
  int distanceWithin(const Descriptor& other, int limit) const;
};

/// Describes the surroundings of a place in px of a plane, out to `radius` px. Nothing too near to the edge or without texture.
std::optional<Descriptor> describeAt(const FloatPlane& plane, const Eigen::Vector2f& place, float radius);

}  // namespace dusky
