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

Plane<std::uint8_t> reducedUsable(const Plane<std::uint8_t>& usable, int times) {
  if (usable.empty()) return {};
  Plane<std::uint8_t> out(usable.width / times, usable.height / times, 1);
  for (int y = 0; y < out.height * times; ++y) {
    for (int x = 0; x < out.width * times; ++x) {
      if (usable.at(x, y) == 0) out.at(x / times, y / times) = 0;
    }
  }
  return out;
}

std::vector<MatchPicture> matchPyramid(MatchPicture picture, int levels) {
  Pyramid sizes = buildPyramid(picture.grey, levels);
  std::vector<MatchPicture> made;
  made.push_back(std::move(picture));
  for (std::size_t l = 1; l < sizes.levels.size(); ++l)
    made.push_back(matchPicture(made.front().camera.halved(static_cast<int>(l)), std::move(sizes.levels[l]), reducedUsable(made.back().usable, 2)));
  return made;
}

}  // namespace dusky
