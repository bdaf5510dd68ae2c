#include "core/image/color_scale.h"

#include <algorithm>
#include <array>
#include <cmath>

namespace dusky {

namespace {

using Knots = std::array<std::array<double, 3>, 7>;

Rgb colorAt(const Knots& knots, double position) {
  if (std::isnan(position)) return {96, 90, 104};
  const double x = std::clamp(position, 0.0, 1.0) * static_cast<double>(knots.size() - 1);
  const auto i = std::min(static_cast<std::size_t>(x), knots.size() - 2);
  const double t = x - static_cast<double>(i);
  const auto mix = [&](int c) { return static_cast<std::uint8_t>(std::lround((1 - t) * knots[i][c] + t * knots[i + 1][c])); };
  return {mix(0), mix(1), mix(2)};
}

}  // namespace

// Knots chosen so that CIE lightness rises by about the same step from one to the next.

Rgb errorColor(double position) {
  static constexpr Knots kWarm = {{{58, 38, 84}, {95, 48, 108}, {143, 58, 112}, {196, 78, 104}, {234, 122, 84}, {248, 178, 92}, {255, 238, 170}}};
  return colorAt(kWarm, position);
}

Rgb gainColor(double position) {
  static constexpr Knots kCool = {{{34, 44, 78}, {34, 66, 104}, {30, 92, 130}, {36, 122, 154}, {66, 156, 176}, {124, 192, 200}, {206, 240, 236}}};
  return colorAt(kCool, position);
}

double errorGlow(double position) {
  if (std::isnan(position)) return 0;
  const double t = std::clamp((position - 0.5) / 0.4, 0.0, 1.0);
  return t * t * (3 - 2 * t);
}

}  // namespace dusky
