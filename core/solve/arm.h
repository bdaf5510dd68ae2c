#pragma once
#include "core/solve/reconstruction.h"

namespace dusky {

// A camera that rotates about a point beside it (Reconstruction::arm), as on a tripod off its nodal point. The world's origin is its pivot.

/// Puts all placed cameras on this arm.
void standOnArm(Reconstruction& work, const Vec3& arm);

/// The same with nothing known of how far the set is.
void beginOnArm(Reconstruction& work, const Vec3& arm);

/// What nothing else holds: the arm's length becomes 1 and the world follows; what of it lies along the axis of a plain pan moves no camera against another and
/// is taken out.
void keepArmInBounds(Reconstruction& work);

/// A rotation takes the mean parallax of a camera beside its pivot for focal length, until the farthest points lie beyond infinity: begins with a focal length
/// that puts all of them well before it.
void beginBeforeInfinity(Reconstruction& work);

/// Directions become points again, at twice the usual distance: under a focal length that is a little off, what is far seems to lie beyond infinity, and would
/// stay there.
void turnFinite(Reconstruction& work);

/// The camera on the other side of its pivot, or of its path's middle, and what was near far from it: with small parallax that looks nearly the same.
void turnInsideOut(Reconstruction& work);

/// How far the cameras go from their path's middle, as a share of the usual distance of points from there: small parallax is below a tenth or two.
double pathOverDistance(const Reconstruction& work);

}  // namespace dusky
