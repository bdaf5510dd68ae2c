#include "core/track/hand_search.h"

#include <algorithm>
#include <cmath>
#include <vector>

#include "core/base/parallel.h"
#include "core/track/sampling.h"

namespace dusky {
namespace {

/// The piece that is looked for, zero mean and unit length.
struct Pattern {
  int side = 0, stride = 0;
  std::vector<float> values;
};

std::optional<Pattern> cutPattern(const FloatPlane& plane, const Eigen::Vector2f& place, int radius) {
  const auto reach = static_cast<float>(radius);
  if (!canSampleSquare(plane, place, reach)) return std::nullopt;
  Pattern p{2 * radius + 1, strideOf(2 * radius + 1), {}};
  p.values.resize(static_cast<std::size_t>(p.side) * p.stride);
  sampleSquare(plane, place.x() - reach, place.y() - reach, p.side, p.values.data());
  float sum = 0, squares = 0;
  for (int y = 0; y < p.side; ++y) {
    for (int x = 0; x < p.side; ++x) sum += p.values[static_cast<std::size_t>(y) * p.stride + x];
  }
  const float mean = sum / static_cast<float>(p.side * p.side);
  for (int y = 0; y < p.side; ++y) {
    for (int x = 0; x < p.side; ++x) {
      float& v = p.values[static_cast<std::size_t>(y) * p.stride + x];
      v -= mean;
      squares += v * v;
    }
  }
  if (!(squares > 1)) return std::nullopt;
  for (float& v : p.values) v /= std::sqrt(squares);
  return p;
}

/// Likeness of the piece whose first pixel is (x0, y0).
float likenessAt(const FloatPlane& plane, const Pattern& pattern, int x0, int y0) {
  float sum = 0, squares = 0, product = 0;
  for (int y = 0; y < pattern.side; ++y) {
    const float *row = plane.row(y0 + y) + x0, *p = &pattern.values[static_cast<std::size_t>(y) * pattern.stride];
    for (int x = 0; x < pattern.side; ++x) sum += row[x], squares += row[x] * row[x], product += row[x] * p[x];
  }
  const float variance = squares - sum * sum / static_cast<float>(pattern.side * pattern.side);
  return variance > 1 ? product / std::sqrt(variance) : 0;
}

/// Where a parabola through three values peaks, -0.5 to 0.5.
float peakOf(float before, float here, float after) {
  const float bend = before - 2 * here + after;
  return bend < -1e-6f ? std::clamp(0.5f * (before - after) / bend, -0.5f, 0.5f) : 0;
}

}  // namespace

std::optional<Eigen::Vector2f> searchAround(const FloatPlane& from, const Eigen::Vector2f& place, const FloatPlane& to, const Eigen::Vector2f& expected,
                                            const SearchArea& area) {
  const auto pattern = cutPattern(from, place, area.pattern_px);
  if (!pattern) return std::nullopt;
  const int cx = static_cast<int>(std::floor(expected.x())), cy = static_cast<int>(std::floor(expected.y()));
  const int x0 = std::max(cx - area.search_px, area.pattern_px), x1 = std::min(cx + area.search_px, to.width - 1 - area.pattern_px);
  const int y0 = std::max(cy - area.search_px, area.pattern_px), y1 = std::min(cy + area.search_px, to.height - 1 - area.pattern_px);
  if (x0 > x1 || y0 > y1) return std::nullopt;
  FloatPlane likeness(x1 - x0 + 1, y1 - y0 + 1);
  parallelFor(likeness.height, [&](int j) {
    for (int i = 0; i < likeness.width; ++i) likeness.at(i, j) = likenessAt(to, *pattern, x0 + i - area.pattern_px, y0 + j - area.pattern_px);
  });
  const auto best = std::max_element(likeness.data.begin(), likeness.data.end()) - likeness.data.begin();
  const int bx = static_cast<int>(best % likeness.width), by = static_cast<int>(best / likeness.width);
  Eigen::Vector2f found(static_cast<float>(x0 + bx) + 0.5f, static_cast<float>(y0 + by) + 0.5f);
  if (bx > 0 && bx + 1 < likeness.width) found.x() += peakOf(likeness.at(bx - 1, by), likeness.at(bx, by), likeness.at(bx + 1, by));
  if (by > 0 && by + 1 < likeness.height) found.y() += peakOf(likeness.at(bx, by - 1), likeness.at(bx, by), likeness.at(bx, by + 1));
  return found;
}

}  // namespace dusky
