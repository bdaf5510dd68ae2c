#include "core/image/pyramid.h"

#include <algorithm>
#include <cmath>

namespace dusky {
namespace {

constexpr int kStrip = 16;  // rows

void halveRow(const FloatPlane& from, int y, float* __restrict to, std::vector<float>& between) {
  const int w = from.width / 2;
  between.resize(static_cast<std::size_t>(from.width));
  float* __restrict down = between.data();
  const float* a = from.row(std::max(2 * y - 1, 0));
  const float* b = from.row(2 * y);
  const float* c = from.row(2 * y + 1);
  const float* d = from.row(std::min(2 * y + 2, from.height - 1));
  for (int x = 0; x < from.width; ++x) down[x] = 0.125f * (a[x] + d[x]) + 0.375f * (b[x] + c[x]);
  to[0] = 0.125f * (down[0] + down[std::min(2, from.width - 1)]) + 0.375f * (down[0] + down[1]);
  for (int x = 1; x < w - 1; ++x) to[x] = 0.125f * (down[2 * x - 1] + down[2 * x + 2]) + 0.375f * (down[2 * x] + down[2 * x + 1]);
  const int x = w - 1;
  if (w > 1) to[x] = 0.125f * (down[2 * x - 1] + down[std::min(2 * x + 2, from.width - 1)]) + 0.375f * (down[2 * x] + down[2 * x + 1]);
}

/// Levels of a pyramid as rows of its base come.
class Halvings {
 public:
  Halvings(Pyramid& pyramid, int levels) : pyramid_(pyramid) {
    while (static_cast<int>(pyramid.levels.size()) < levels) {
      const int width = pyramid.levels.back().width, height = pyramid.levels.back().height;
      if (std::min(width, height) < 48) break;
      pyramid.levels.push_back(FloatPlane::unset(width / 2, height / 2));
    }
    rows_.assign(pyramid.levels.size(), 0);
  }
  /// The base is there down to row `end` - 1.
  void reach(int end) {
    rows_[0] = end;
    for (std::size_t l = 1; l < rows_.size(); ++l) {
      const FloatPlane& from = pyramid_.levels[l - 1];
      FloatPlane& to = pyramid_.levels[l];
      const bool whole = rows_[l - 1] == from.height;
      for (; rows_[l] < to.height && (whole || 2 * rows_[l] + 2 < rows_[l - 1]); ++rows_[l]) halveRow(from, rows_[l], to.row(rows_[l]), between_);
    }
  }

 private:
  Pyramid& pyramid_;
  std::vector<int> rows_;  ///< Done, of each level.
  std::vector<float> between_;
};

}  // namespace

Pyramid buildPyramid(FloatPlane picture, int levels) {
  Pyramid pyramid;
  pyramid.levels.push_back(std::move(picture));
  Halvings(pyramid, levels).reach(pyramid.base().height);
  return pyramid;
}

Pyramid buildPyramid(int width, int height, int levels, const RowWork& make, const RowWork& also) {
  Pyramid pyramid;
  pyramid.levels.push_back(FloatPlane::unset(width, height));
  Halvings halvings(pyramid, levels);
  for (int first = 0; first < height; first += kStrip) {
    const int end = std::min(first + kStrip, height);
    make(pyramid.levels[0], first, end);
    if (also) also(pyramid.levels[0], first, end);
    halvings.reach(end);
  }
  return pyramid;
}

void softenRows(const FloatPlane& from, FloatPlane& out, int first, int end) {
  const int w = from.width, h = from.height;
  std::vector<float> down(static_cast<std::size_t>(w) + 2);
  for (int y = first; y < end; ++y) {
    const float *a = from.row(std::max(y - 1, 0)), *b = from.row(y), *c = from.row(std::min(y + 1, h - 1));
    float* __restrict middle = down.data() + 1;
    for (int x = 0; x < w; ++x) middle[x] = 0.25f * (a[x] + c[x]) + 0.5f * b[x];
    middle[-1] = middle[0], middle[w] = middle[w - 1];
    float* __restrict to = out.row(y);
    for (int x = 0; x < w; ++x) to[x] = 0.25f * (middle[x - 1] + middle[x + 1]) + 0.5f * middle[x];
  }
}

FloatPlane soften(const FloatPlane& from) {
  FloatPlane out = FloatPlane::unset(from.width, from.height);
  softenRows(from, out, 0, from.height);
  return out;
}

double meanSquareGradient(const FloatPlane& plane) {
  constexpr int kEvery = 4;  // rows
  double sum = 0;
  long count = 0;
  for (int y = 1; y + 1 < plane.height; y += kEvery) {
    const float *above = plane.row(y - 1), *here = plane.row(y), *below = plane.row(y + 1);
    float row = 0;
    for (int x = 1; x < plane.width - 1; ++x) {
      const float gx = here[x + 1] - here[x - 1], gy = below[x] - above[x];
      row += gx * gx + gy * gy;
    }
    sum += 0.25 * row;
    count += plane.width - 2;
  }
  return count > 0 ? sum / static_cast<double>(count) : 0;
}

float sampleLinear(const FloatPlane& plane, float u, float v) {
  const float x = std::clamp(u - 0.5f, 0.0f, static_cast<float>(plane.width) - 1.001f);
  const float y = std::clamp(v - 0.5f, 0.0f, static_cast<float>(plane.height) - 1.001f);
  const int ix = static_cast<int>(x), iy = static_cast<int>(y);
  const float fx = x - static_cast<float>(ix), fy = y - static_cast<float>(iy);
  const float* a = plane.row(iy) + ix;
  const float* b = a + plane.width;
  return (1 - fy) * ((1 - fx) * a[0] + fx * a[1]) + fy * ((1 - fx) * b[0] + fx * b[1]);
}

}  // namespace dusky
