#pragma once
#include "core/image/plane.h"

namespace dusky {

/// Error as light: dark violet, rose, amber, pale yellow, even in lightness. `position` 0 to 1 (clamped); not a number
/// gives the colour of "unknown", a quiet grey.
Rgb errorColor(double position);

/// By how much an error became smaller: the same steps of light in cool colours, told from the others also where colours are not seen well.
Rgb gainColor(double position);

/// How much an error at this place of the scale glows, 0 to 1: nothing in its lower half, where usual errors lie. Not a number: 0.
double errorGlow(double position);

}  // namespace dusky
