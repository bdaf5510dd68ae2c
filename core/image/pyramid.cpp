#include "core/image/pyramid.h"

#include <algorithm>
#include <cmath>

namespace dusky {
namespace {

FloatPlane halve(const FloatPlane& from) {
  const int w = from.width / 2, h = from.height / 2;
  FloatPlane out = FloatPlane::unset(w, h);
  std::vector<float> down(static_cast<std::size_t>(from.width));
  for (int y = 0; y < h; ++y) {
    const float* a = from.row(std::max(2 * y - 1, 0));
    const float* b = from.row(2 * y);
    const float* c = from.row(2 * y + 1);
    const float* d = from.row(std::min(2 * y + 2, from.height - 1));
    for (int x = 0; x < from.width; ++x) down[x] = 0.125f * (a[x] + d[x]) + 0.375f * (b[x] + c[x]);
    const float* in = down.data();
    float* to = out.row(y);
    to[0] = 0.125f * (in[0] + in[std::min(2, from.width - 1)]) + 0.375f * (in[0] + in[1]);
    for (int x = 1; x < w - 1; ++x) to[x] = 0.125f * (in[2 * x - 1] + in[2 * x + 2]) + 0.375f * (in[2 * x] + in[2 * x + 1]);
    const int x = w - 1;
    if (w > 1) to[x] = 0.125f * (in[2 * x - 1] + in[std::min(2 * x + 2, from.width - 1)]) + 0.375f * (in[2 * x] + in[2 * x + 1]);
  }
  return out;
}

}  // namespace

Pyramid buildPyramid(FloatPlane picture, int levels) {
  Pyramid pyramid;
  pyramid.levels.push_back(std::move(picture));
  while (static_cast<int>(pyramid.levels.size()) < levels) {
    const FloatPlane& last = pyramid.levels.back();
    if (std::min(last.width, last.height) < 48) break;
    pyramid.levels.push_back(halve(last));
  }
  return pyramid;
}

FloatPlane soften(const FloatPlane& from) {
  const int w = from.width, h = from.height;
  FloatPlane out = FloatPlane::unset(w, h);
  std::vector<float> down(static_cast<std::size_t>(w) + 2);
  for (int y = 0; y < h; ++y) {
    const float *a = from.row(std::max(y - 1, 0)), *b = from.row(y), *c = from.row(std::min(y + 1, h - 1));
    float* middle = down.data() + 1;
    for (int x = 0; x < w; ++x) middle[x] = 0.25f * (a[x] + c[x]) + 0.5f * b[x];
    down.front() = middle[0], down.back() = middle[w - 1];
    float* to = out.row(y);
    for (int x = 0; x < w; ++x) to[x] = 0.25f * (down[x] + down[x + 2]) + 0.5f * down[x + 1];
  }
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
