#pragma once
#include <cmath>

namespace dusky {

// The curve between light and values for a screen (IEC 61966-2-1), both 0 to 1 from black to white.

template <class T>
T lightOf(T screen) {
  return screen <= T(0.04045) ? screen / T(12.92) : std::pow((screen + T(0.055)) / T(1.055), T(2.4));
}

template <class T>
T screenOf(T light) {
  return light <= T(0.0031308) ? T(12.92) * light : T(1.055) * std::pow(light, T(1) / T(2.4)) - T(0.055);
}

}  // namespace dusky
