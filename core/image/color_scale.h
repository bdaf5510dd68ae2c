#pragma once
#include "core/image/plane.h"

namespace dusky {

/// Error as light: dark violet, rose, amber, pale yellow, even in lightness. `position` 0 to 1 (clamped); not a number
/// gives the colour of "unknown", a quiet grey.
Rgb errorColor(double position);

}  // namespace dusky
