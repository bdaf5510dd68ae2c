#include "core/track/detect.h"

#include <algorithm>
#include <cmath>

#include "core/base/parallel.h"

namespace dusky {
namespace {

/// Products of gradients of one row: xx, xy, yy side by side.
struct TensorRow {
  std::vector<float> xx, xy, yy;
  explicit TensorRow(int width) : xx(width), xy(width), yy(width) {}

  void fill(const FloatPlane& plane, int y) {
    const float* above = plane.row(y - 1);
    const float* here = plane.row(y);
    const float* below = plane.row(y + 1);
    for (int x = 1; x < plane.width - 1; ++x) {
      const float gx = 0.5f * (here[x + 1] - here[x - 1]), gy = 0.5f * (below[x] - above[x]);
      xx[x] = gx * gx;
      xy[x] = gx * gy;
      yy[x] = gy * gy;
    }
  }
  void add(const TensorRow& row, float sign) {
    for (std::size_t x = 0; x < xx.size(); ++x) {
      xx[x] += sign * row.xx[x];
      xy[x] += sign * row.xy[x];
      yy[x] += sign * row.yy[x];
    }
  }
};

void writeStrength(const TensorRow& columns, int radius, float* out) {
  const int width = static_cast<int>(columns.xx.size());
  const float area = static_cast<float>((2 * radius + 1) * (2 * radius + 1));
  float xx = 0, xy = 0, yy = 0;
  for (int x = 0; x < width; ++x) {
    xx += columns.xx[x], xy += columns.xy[x], yy += columns.yy[x];
    const int old = x - 2 * radius - 1;
    if (old >= 0) xx -= columns.xx[old], xy -= columns.xy[old], yy -= columns.yy[old];
    if (x < 2 * radius) continue;
    const float half = 0.5f * (xx + yy), apart = 0.5f * (xx - yy);
    out[x - radius] = std::max(0.0f, half - std::sqrt(apart * apart + xy * xy)) / area;
  }
}

bool isPeak(const FloatPlane& s, int x, int y) {
  const float v = s.at(x, y);
  for (int dy = -1; dy <= 1; ++dy) {
    for (int dx = -1; dx <= 1; ++dx) {
      if ((dx || dy) && (s.at(x + dx, y + dy) > v || (s.at(x + dx, y + dy) == v && (dy < 0 || (dy == 0 && dx < 0))))) return false;
    }
  }
  return true;
}

/// The place in the window about pixel (x, y) that the gradient lines pass nearest to: a corner's tip, a blob's middle. The pixel's own
/// middle where that falls outside the window.
Vec2 cornerPoint(const FloatPlane& plane, int x, int y, int radius) {
  double xx = 0, xy = 0, yy = 0, bx = 0, by = 0;
  for (int j = y - radius; j <= y + radius; ++j) {
    const float *above = plane.row(j - 1), *here = plane.row(j), *below = plane.row(j + 1);
    for (int i = x - radius; i <= x + radius; ++i) {
      const double gx = 0.5 * (here[i + 1] - here[i - 1]), gy = 0.5 * (below[i] - above[i]);
      xx += gx * gx, xy += gx * gy, yy += gy * gy;
      const double along = gx * (i - x) + gy * (j - y);
      bx += gx * along, by += gy * along;
    }
  }
  const double det = xx * yy - xy * xy;
  const Vec2 offset = det > 0 ? Vec2((yy * bx - xy * by) / det, (xx * by - xy * bx) / det) : Vec2::Zero();
  const Vec2 middle(x + 0.5, y + 0.5);
  return offset.cwiseAbs().maxCoeff() <= radius ? Vec2(middle + offset) : middle;
}

void findPeaks(const FloatPlane& plane, const FloatPlane& strength, int level, const DetectOptions& options, std::vector<Feature>& out) {
  const double size = 1 << level;
  const int margin = std::max(2 * options.window_radius + 2, static_cast<int>(std::ceil(options.margin_px / size)));
  // Localisation error grows with the level's pixel size; its square weighs the strength.
  const double weight = 1.0 / (size * size);
  for (int y = margin; y < strength.height - margin; ++y) {
    for (int x = margin; x < strength.width - margin; ++x) {
      const float v = strength.at(x, y);
      if (v < options.min_strength || !isPeak(strength, x, y)) continue;
      out.push_back({size * cornerPoint(plane, x, y, options.window_radius), v * weight, level});
    }
  }
}

/// Counts features by cell and finds whether a place is too near to one that is taken.
class Spread {
 public:
  Spread(int width, int height, const DetectOptions& options) : distance_(options.min_distance_px) {
    const double side = std::sqrt(static_cast<double>(width) * height / std::max(options.count, 1));
    cell_ = std::max(2.0 * side, 2 * distance_);  // about four features a cell
    share_ = std::max(1, static_cast<int>(std::lround(cell_ * cell_ / (side * side))));
    columns_ = static_cast<int>(width / cell_) + 1;
    counts_.resize(static_cast<std::size_t>(columns_) * (static_cast<int>(height / cell_) + 1));
    buckets_across_ = static_cast<int>(width / distance_) + 3;
    buckets_.resize(static_cast<std::size_t>(buckets_across_) * (static_cast<int>(height / distance_) + 3));
  }
  void take(const Vec2& p) {
    ++counts_[cellOf(p)];
    buckets_[bucketOf(p, 0, 0)].push_back(p);
  }
  bool wants(const Vec2& p) const { return counts_[cellOf(p)] < share_ && !crowded(p); }

 private:
  std::size_t cellOf(const Vec2& p) const { return static_cast<std::size_t>(p.y() / cell_) * columns_ + static_cast<std::size_t>(p.x() / cell_); }
  std::size_t bucketOf(const Vec2& p, int dx, int dy) const {
    return static_cast<std::size_t>(p.y() / distance_ + 1 + dy) * buckets_across_ + static_cast<std::size_t>(p.x() / distance_ + 1 + dx);
  }
  bool crowded(const Vec2& p) const {
    for (int dy = -1; dy <= 1; ++dy) {
      for (int dx = -1; dx <= 1; ++dx) {
        for (const Vec2& other : buckets_[bucketOf(p, dx, dy)]) {
          if ((other - p).squaredNorm() < distance_ * distance_) return true;
        }
      }
    }
    return false;
  }

  double distance_, cell_ = 1;
  int share_ = 1, columns_ = 1, buckets_across_ = 1;
  std::vector<int> counts_;
  std::vector<std::vector<Vec2>> buckets_;
};

}  // namespace

FloatPlane cornerStrength(const FloatPlane& plane, int radius) {
  FloatPlane out(plane.width, plane.height);
  if (plane.width < 2 * radius + 3 || plane.height < 2 * radius + 3) return out;
  // Bands of fixed height: each sums its own rows, so the result does not depend on the thread count.
  constexpr int kBand = 64;
  const int first = radius + 1, last = plane.height - radius - 2;
  parallelFor((last - first) / kBand + 1, [&](int band) {
    const int from = first + band * kBand, to = std::min(from + kBand - 1, last);
    std::vector<TensorRow> ring(2 * radius + 1, TensorRow(plane.width));
    TensorRow columns(plane.width);
    for (int y = from - radius; y <= to + radius; ++y) {
      TensorRow& slot = ring[static_cast<std::size_t>(y) % ring.size()];
      if (y > from + radius) columns.add(slot, -1);
      slot.fill(plane, y);
      columns.add(slot, 1);
      if (y >= from + radius) writeStrength(columns, radius, out.row(y - radius));
    }
  });
  return out;
}

std::vector<Feature> detectFeatures(const Pyramid& pyramid, const std::vector<Vec2>& taken, const DetectOptions& options) {
  std::vector<Feature> candidates;
  const int levels = std::min(options.levels, static_cast<int>(pyramid.levels.size()));
  for (int level = 0; level < levels; ++level) {
    findPeaks(pyramid.levels[level], cornerStrength(pyramid.levels[level], options.window_radius), level, options, candidates);
  }
  std::stable_sort(candidates.begin(), candidates.end(), [](const Feature& a, const Feature& b) { return a.strength > b.strength; });
  Spread spread(pyramid.base().width, pyramid.base().height, options);
  for (const Vec2& p : taken) spread.take(p);
  std::vector<Feature> chosen;
  for (const Feature& feature : candidates) {
    if (!spread.wants(feature.position)) continue;
    spread.take(feature.position);
    chosen.push_back(feature);
  }
  return chosen;
}

}  // namespace dusky
