#pragma once
#include "core/geometry/pose.h"

namespace dusky {

/// The half axes of the ellipsoid of one standard deviation, longest first, as columns, in the covariance's axes and the root of its unit. A variance that
/// rounding made negative counts as none. Not a number where the covariance is.
Mat3 ellipsoidAxes(const Mat3& covariance);

}  // namespace dusky
