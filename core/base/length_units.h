#pragma once
#include <array>
#include <string_view>
#include <utility>

namespace dusky {

/// Units that lengths in files may be in, and how many metres each is.
inline constexpr std::array<std::pair<std::string_view, double>, 5> kLengthUnits = {{{"m", 1}, {"cm", 0.01}, {"mm", 0.001}, {"ft", 0.3048}, {"in", 0.0254}}};

}  // namespace dusky
