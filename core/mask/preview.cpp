#include "core/mask/preview.h"

namespace dusky {

Picture previewOf(const Picture& picture, const LeftOut& left_out) {
  constexpr int kHatch = 8;  // px between its lines
  Picture shown = picture;
  for (int y = 0; y < picture.height; ++y) {
    for (int x = 0; x < picture.width; ++x) {
      if (!left_out.at(x, y)) continue;
      Rgb& c = shown.at(x, y);
      const bool line = (x + y) % kHatch == 0;
      const auto dim = [&](std::uint8_t v, int tint) { return static_cast<std::uint8_t>((line ? 2 * v / 5 + 70 : 2 * v / 5) + tint); };
      c = {dim(c.r, 22), dim(c.g, 10), dim(c.b, 26)};
    }
  }
  return shown;
}

}  // namespace dusky
