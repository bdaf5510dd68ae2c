#pragma once
#include <vector>

#include "core/scene/test_object.h"

namespace dusky {

/// The surface of a test object of size 1 that stands on the origin, up to y = 1: cone and cube; a card that faces z, seen from both sides; a floor of light
/// and dark squares in y = 0, side 1 about the origin; a standing figure that looks along z.
std::vector<SolidFace> unitSolid(ObjectShape shape);

}  // namespace dusky
