#include "core/dense/match_picture.h"

#include <algorithm>

#include "core/image/pyramid.h"

namespace dusky {

MatchPicture matchPicture(const Pinhole& camera, FloatPlane grey, Plane<std::uint8_t> usable) {
  MatchPicture made{camera, std::move(grey), {}, std::move(usable)};
  const int w = made.grey.width, h = made.grey.height;
  made.corners = Plane<std::uint32_t>::unset(w, h);
  const auto byteAt = [&](int x, int y) {
    const float value = made.grey.at(std::min(x, w - 1), std::min(y, h - 1));
    return static_cast<std::uint32_t>(std::clamp(value, 0.0F, 255.0F) + 0.5F);
  };
  for (int y = 0; y < h; ++y) {
    for (int x = 0; x < w; ++x) made.corners.at(x, y) = byteAt(x, y) | byteAt(x + 1, y) << 8 | byteAt(x, y + 1) << 16 | byteAt(x + 1, y + 1) << 24;
  }
  return made;
}

/// Usable where all four that it is made of are.
static Plane<std::uint8_t> halvedUsable(const Plane<std::uint8_t>& usable) {
  if (usable.empty()) return {};
  Plane<std::uint8_t> half(usable.width / 2, usable.height / 2);
  for (int y = 0; y < half.height; ++y) {
    for (int x = 0; x < half.width; ++x)
      half.at(x, y) = usable.at(2 * x, 2 * y) && usable.at(2 * x + 1, 2 * y) && usable.at(2 * x, 2 * y + 1) && usable.at(2 * x + 1, 2 * y + 1);
  }
  return half;
}

std::vector<MatchPicture> matchPyramid(MatchPicture picture, int levels) {
  Pyramid sizes = buildPyramid(picture.grey, levels);
  std::vector<MatchPicture> made;
  made.push_back(std::move(picture));
  for (std::size_t l = 1; l < sizes.levels.size(); ++l)
    made.push_back(matchPicture(made.front().camera.halved(static_cast<int>(l)), std::move(sizes.levels[l]), halvedUsable(made.back().usable)));
  return made;
}

}  // namespace dusky
