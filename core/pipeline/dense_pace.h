#pragma once
#include <filesystem>

namespace dusky {

/// How long depth takes on this machine, seconds for a million pixels of depth maps, as the last runs had it; before any, as a guess. Kept in the user's cache
/// folder.
double densePace();
/// Takes in what a run took, half and half with what was known. That it cannot be kept hurts nobody.
void learnDensePace(double seconds_per_megapixel);

}  // namespace dusky
