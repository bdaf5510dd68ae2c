#pragma once
#include "core/geometry/pose.h"

namespace dusky {

/// Where the light of test objects comes from, scene coordinates, of length 1.
Vec3 towardsLight();

}  // namespace dusky
