#pragma once
#include "core/geometry/plane.h"
#include "core/solve/reconstruction.h"

namespace dusky {

/// How far the placed points are from one plane, beside how far they reach in it, or as far as a usual lens would show them from where the cameras are:
/// medians, the fifth that is farthest off left out. Unknown for fewer than 20 points. On a flat set, or one that is seen from so far that it looks flat, a
/// zoom, a dolly and its slant can make up for one another: all that two views of a plane tell is a homography. Source: Hartley and Zisserman, Multiple View
/// Geometry, 2nd ed., section 13.1.
double flatness(const Reconstruction& work);

/// Below it a set is flat.
inline constexpr double kFlatSet = 0.05;

/// The plane of a flat set; nothing where it is not.
std::optional<PlaneFit> flatPlane(const Reconstruction& work);

}  // namespace dusky
