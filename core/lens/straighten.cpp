#include "core/lens/straighten.h"

#include <algorithm>
#include <cmath>

#include "core/base/parallel.h"

namespace dusky {
namespace {

/// Each byte between those of a and b.
std::uint32_t mixed(std::uint32_t a, std::uint32_t b, double t) {
  std::uint32_t out = 0;
  for (int shift = 0; shift < 32; shift += 8) {
    const double from = (a >> shift) & 255, to = (b >> shift) & 255;
    out |= static_cast<std::uint32_t>(from + t * (to - from) + 0.5) << shift;
  }
  return out;
}

/// px with the first one's centre at 0.5, inside of the picture.
std::uint32_t colorAt(const PixelRows<const std::uint32_t>& picture, const Vec2& at) {
  const double x = at.x() - 0.5, y = at.y() - 0.5;
  const int x0 = static_cast<int>(std::floor(x)), y0 = static_cast<int>(std::floor(y));
  const int left = std::clamp(x0, 0, picture.width - 1), right = std::clamp(x0 + 1, 0, picture.width - 1);
  const auto *above = picture.row(std::clamp(y0, 0, picture.height - 1)), *below = picture.row(std::clamp(y0 + 1, 0, picture.height - 1));
  return mixed(mixed(above[left], above[right], x - x0), mixed(below[left], below[right], x - x0), y - y0);
}

}  // namespace

void straighten(const Lens& lens, const PixelRows<const std::uint32_t>& source, const Vec2& offset, double scale, const PixelRows<std::uint32_t>& out) {
  const double reduced = static_cast<double>(source.width) / lens.width;
  parallelFor(out.height, [&](int row) {
    std::uint32_t* line = out.row(row);
    for (int column = 0; column < out.width; ++column) {
      line[column] = 0;
      const Vec2 n = lens.straightRay((Vec2(column + 0.5, row + 0.5) - offset) / scale);
      const Vec2 seen = lens.distort(n);
      if (seen.x() < 0 || seen.y() < 0 || seen.x() > lens.width || seen.y() > lens.height || !lens.risingUpTo(n)) continue;
      line[column] = colorAt(source, reduced * seen) | 0xff000000u;
    }
  });
}

}  // namespace dusky
