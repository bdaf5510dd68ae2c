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

namespace {

template <class T>
void softenRow(const T* a, const T* b, const T* c, int w, float* __restrict middle, float* __restrict to) {
  for (int x = 0; x < w; ++x) middle[x] = 0.25f * (static_cast<float>(a[x]) + static_cast<float>(c[x])) + 0.5f * static_cast<float>(b[x]);
  middle[-1] = middle[0], middle[w] = middle[w - 1];
  for (int x = 0; x < w; ++x) to[x] = 0.25f * (middle[x - 1] + middle[x + 1]) + 0.5f * middle[x];
}

template <class T, class After>
void softenRowsOf(const Plane<T>& from, FloatPlane& out, int first, int end, const After& after) {
  std::vector<float> down(static_cast<std::size_t>(from.width) + 2);
  for (int y = first; y < end; ++y) {
    softenRow(from.row(std::max(y - 1, 0)), from.row(y), from.row(std::min(y + 1, from.height - 1)), from.width, down.data() + 1, out.row(y));
    after(out.row(y));
  }
}

}  // namespace

void softenRows(const FloatPlane& from, FloatPlane& out, int first, int end) {
  softenRowsOf(from, out, first, end, [](float*) {});
}

void softenRows(const Plane<std::uint8_t>& from, float black, float scale, FloatPlane& out, int first, int end) {
  softenRowsOf(from, out, first, end, [&, width = from.width](float* row) {
    for (int x = 0; x < width; ++x) row[x] = scale * (row[x] - black);
  });
}

FloatPlane soften(const FloatPlane& from) {
  FloatPlane out = FloatPlane::unset(from.width, from.height);
  softenRows(from, out, 0, from.height);
  return out;
}

void GradientMeter::reach(const FloatPlane& plane, int end) {
  constexpr int kEvery = 4;  // rows
  for (; next_ + 1 < end; next_ += kEvery) {
    const float *above = plane.row(next_ - 1), *here = plane.row(next_), *below = plane.row(next_ + 1);
    constexpr int kLanes = 8;
    float sums[kLanes] = {};
    const int last = plane.width - 1;
    int x = 1;
    for (; x + kLanes <= last; x += kLanes) {
      for (int i = 0; i < kLanes; ++i) {
        const float gx = here[x + i + 1] - here[x + i - 1], gy = below[x + i] - above[x + i];
        sums[i] += gx * gx + gy * gy;
      }
    }
    for (; x < last; ++x) {
      const float gx = here[x + 1] - here[x - 1], gy = below[x] - above[x];
      sums[0] += gx * gx + gy * gy;
    }
    for (const float s : sums) sum_ += 0.25 * s;
    count_ += plane.width - 2;
  }
}

double meanSquareGradient(const FloatPlane& plane) {
  GradientMeter meter;
  meter.reach(plane, plane.height);
  return meter.meanSquare();
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
