#pragma once
#include "core/solve/reconstruction.h"

namespace dusky {

/// Share of the kept tracks that the errors want beyond infinity: of a far point the inverse of its distance is estimated about nothing, and is negative by
/// more than three standard deviations. Nothing lies there; where many do, focal length or path are bent so far that depths run out, which the error alone may
/// not show. `sigma_px`: standard deviation of one coordinate of a sighting. Source: inverse distance as in Civera, Davison and Montiel, IEEE Transactions on
/// Robotics 24(5), 2008.
double shareBeyondInfinity(const Reconstruction& work, double sigma_px);

}  // namespace dusky
