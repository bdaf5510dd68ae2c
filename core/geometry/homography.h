#pragma once
#include <vector>

#include "core/geometry/pose.h"

namespace dusky {

/// Moves points to mean zero and mean distance sqrt(2). Source: Hartley, IEEE TPAMI 19(6), 1997.
Mat3 normaliserOf(const std::vector<Vec2>& points);

/// The homography H with b ~ H a, least algebraic error over four or more pairs, inputs normalised.
/// Returns zero where the pairs do not fix one.
/// Source: Hartley, IEEE TPAMI 19(6), 1997 (normalised direct linear transform).
Mat3 homographyFromPairs(const std::vector<Vec2>& a, const std::vector<Vec2>& b);

/// The rotation R (b ~ R a as rays) with the least sum of squared ray differences.
/// Shapes: equally long, at least 2 pairs of normalised points. Source: Umeyama, IEEE TPAMI 13(4), 1991.
Mat3 rotationFromPairs(const std::vector<Vec2>& a, const std::vector<Vec2>& b);

}  // namespace dusky
