#include "core/image/pyramid.h"

#include <algorithm>
#include <cmath>

namespace dusky {
namespace {

FloatPlane halve(const FloatPlane& from) {
  const int w = from.width / 2, h = from.height / 2;
  FloatPlane across(w, from.height), out(w, h);
  for (int y = 0; y < from.height; ++y) {
    const float* in = from.row(y);
    float* to = across.row(y);
    for (int x = 0; x < w; ++x) {
      const int a = std::max(2 * x - 1, 0), d = std::min(2 * x + 2, from.width - 1);
      to[x] = 0.125f * (in[a] + in[d]) + 0.375f * (in[2 * x] + in[2 * x + 1]);
    }
  }
  for (int y = 0; y < h; ++y) {
    const float* a = across.row(std::max(2 * y - 1, 0));
    const float* b = across.row(2 * y);
    const float* c = across.row(2 * y + 1);
    const float* d = across.row(std::min(2 * y + 2, from.height - 1));
    float* to = out.row(y);
    for (int x = 0; x < w; ++x) to[x] = 0.125f * (a[x] + d[x]) + 0.375f * (b[x] + c[x]);
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
