#pragma once
#include <vector>

#include "core/base/result.h"
#include "core/geometry/pose.h"

namespace dusky {

/// The rotation nearest to a correlation matrix sum(target * source^T). Source: Umeyama, IEEE TPAMI 13(4), 1991.
Mat3 nearestRotation(const Mat3& correlation);

/// The similarity that carries `source` onto `target` with the least sum of squares.
/// Shapes: equally long, at least 3 points, not all in one place.
/// Errors: InvalidInput for other shapes or for points that all coincide.
/// Source: Umeyama, IEEE TPAMI 13(4), 1991.
Result<Similarity> alignPoints(const std::vector<Vec3>& source, const std::vector<Vec3>& target, bool with_scale = true);

/// The similarity that carries camera path `source` onto `target`: rotation from centres and orientations together,
/// so that a straight path is no special case. Scale from the spread of the centres (1 where they all coincide).
/// Shapes: equally long, at least 1 pose.
Result<Similarity> alignPaths(const std::vector<Pose>& source, const std::vector<Pose>& target);
}  // namespace dusky
