#pragma once
#include <algorithm>
#include <cstdint>

namespace dusky {

/// The nearest grey level.
inline std::uint8_t byteOf(float value) { return static_cast<std::uint8_t>(std::clamp(value + 0.5F, 0.0F, 255.0F)); }

}  // namespace dusky
