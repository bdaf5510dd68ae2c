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

  void fill(const FloatPlane& plane, int left, int y) {
    const float* above = plane.row(y - 1) + left;
    const float* here = plane.row(y) + left;
    const float* below = plane.row(y + 1) + left;
    const int width = static_cast<int>(xx.size());
    for (int x = 0; x < width; ++x) {
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

/// Sums over windows along a row of column sums, and the smaller eigenvalue of each.
void writeStrength(const TensorRow& columns, int radius, float* out, int count) {
  const int window = 2 * radius + 1;
  const float area = static_cast<float>(window * window);
  thread_local std::vector<float> sums;
  sums.resize(3 * static_cast<std::size_t>(count));
  const float *in_xx = columns.xx.data(), *in_xy = columns.xy.data(), *in_yy = columns.yy.data();
  float sum_xx = 0, sum_xy = 0, sum_yy = 0;
  for (int x = 0; x < window; ++x) sum_xx += in_xx[x], sum_xy += in_xy[x], sum_yy += in_yy[x];
  for (int x = 0; x < count; ++x) {
    sums[x] = sum_xx, sums[x + count] = sum_xy, sums[x + 2 * count] = sum_yy;
    if (x + 1 == count) break;
    sum_xx += in_xx[x + window] - in_xx[x], sum_xy += in_xy[x + window] - in_xy[x], sum_yy += in_yy[x + window] - in_yy[x];
  }
  const float *xx = sums.data(), *xy = xx + count, *yy = xy + count;
  for (int x = 0; x < count; ++x) {
    const float half = 0.5f * (xx[x] + yy[x]), apart = 0.5f * (xx[x] - yy[x]);
    out[x] = std::max(0.0f, half - std::sqrt(apart * apart + xy[x] * xy[x])) / area;
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

/// A part of a plane, pixels x0 .. x1 - 1 and y0 .. y1 - 1.
struct Tile {
  int x0 = 0, y0 = 0, x1 = 0, y1 = 0;
};

/// The smaller eigenvalue of the windowed structure tensor in a tile and one pixel around it; pixel (0, 0) is (x0 - 1, y0 - 1).
/// The tile keeps radius + 2 px from the plane's border.
FloatPlane strengthIn(const FloatPlane& plane, const Tile& tile, int radius) {
  FloatPlane out(tile.x1 - tile.x0 + 2, tile.y1 - tile.y0 + 2);
  const int left = tile.x0 - 1 - radius, span = out.width + 2 * radius, window = 2 * radius + 1;
  std::vector<TensorRow> ring(static_cast<std::size_t>(window), TensorRow(span));
  TensorRow columns(span);
  for (int j = 0; j < out.height + 2 * radius; ++j) {
    TensorRow& slot = ring[static_cast<std::size_t>(j) % ring.size()];
    if (j >= window) columns.add(slot, -1);
    slot.fill(plane, left, tile.y0 - 1 - radius + j);
    columns.add(slot, 1);
    if (j >= window - 1) writeStrength(columns, radius, out.row(j - window + 1), out.width);
  }
  return out;
}

struct SizeClass {
  FeatureSize size;
  int window_radius;
};

void findPeaks(const FloatPlane& plane, const Tile& tile, const SizeClass& kind, const DetectOptions& options, std::vector<Feature>& out) {
  const FloatPlane strength = strengthIn(plane, tile, kind.window_radius);
  const double px = pxOf(kind.size);
  // Localisation error grows with the level's pixel size; its square weighs the strength.
  const double weight = 1.0 / (px * px);
  for (int y = 1; y < strength.height - 1; ++y) {
    for (int x = 1; x < strength.width - 1; ++x) {
      const float v = strength.at(x, y);
      if (v < options.min_strength || !isPeak(strength, x, y)) continue;
      const Vec2 place = px * cornerPoint(plane, x + tile.x0 - 1, y + tile.y0 - 1, kind.window_radius);
      if (!options.allowed || options.allowed(place)) out.push_back({place, v * weight, kind.size});
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
    rows_ = static_cast<int>(height / cell_) + 1;
    counts_.resize(static_cast<std::size_t>(columns_) * rows_);
    buckets_across_ = static_cast<int>(width / distance_) + 3;
    buckets_.resize(static_cast<std::size_t>(buckets_across_) * (static_cast<int>(height / distance_) + 3));
  }
  void take(const Vec2& p) {
    ++counts_[cellOf(p)];
    buckets_[bucketOf(p, 0, 0)].push_back(p);
  }
  /// The cells that are short of features, full-size px.
  std::vector<Tile> hungryCells() const {
    std::vector<Tile> cells;
    for (int row = 0; row < rows_; ++row) {
      for (int column = 0; column < columns_; ++column) {
        if (counts_[static_cast<std::size_t>(row) * columns_ + column] >= share_) continue;
        cells.push_back(
            {static_cast<int>(column * cell_), static_cast<int>(row * cell_), static_cast<int>((column + 1) * cell_), static_cast<int>((row + 1) * cell_)});
      }
    }
    return cells;
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
  int share_ = 1, columns_ = 1, rows_ = 1, buckets_across_ = 1;
  std::vector<int> counts_;
  std::vector<std::vector<Vec2>> buckets_;
};

/// The tiles of a plane of one size, cell by cell, where more features are wanted.
std::vector<Tile> hungryTiles(const Spread& spread, const FloatPlane& plane, const SizeClass& kind, const DetectOptions& options) {
  const double px = pxOf(kind.size);
  const int margin = std::max(kind.window_radius + 3, static_cast<int>(std::ceil(options.margin_px / px)));
  std::vector<Tile> tiles;
  for (const Tile& cell : spread.hungryCells()) {
    const Tile tile{std::max(margin, static_cast<int>(cell.x0 / px)), std::max(margin, static_cast<int>(cell.y0 / px)),
                    std::min(plane.width - margin, static_cast<int>(cell.x1 / px)), std::min(plane.height - margin, static_cast<int>(cell.y1 / px))};
    if (tile.x0 < tile.x1 && tile.y0 < tile.y1) tiles.push_back(tile);
  }
  return tiles;
}

std::vector<SizeClass> classesOf(const FeatureSizes& sizes) {
  std::vector<SizeClass> classes;
  if (sizes.fine) classes.push_back({FeatureSize::Fine, 3});
  if (sizes.medium) classes.push_back({FeatureSize::Medium, 5});
  if (sizes.coarse) classes.push_back({FeatureSize::Coarse, 5});
  return classes;
}

}  // namespace

std::vector<Feature> detectFeatures(const Pyramid& pyramid, const std::vector<Vec2>& taken, const DetectOptions& options) {
  Spread spread(pyramid.base().width, pyramid.base().height, options);
  for (const Vec2& p : taken) spread.take(p);
  std::vector<Feature> candidates;
  for (const SizeClass& kind : classesOf(options.sizes)) {
    if (levelOf(kind.size) >= static_cast<int>(pyramid.levels.size())) continue;
    const FloatPlane& plane = pyramid.levels[levelOf(kind.size)];
    const std::vector<Tile> tiles = hungryTiles(spread, plane, kind, options);
    // Each tile its own list, put together in order: the same with any number of threads.
    std::vector<std::vector<Feature>> found(tiles.size());
    parallelFor(static_cast<int>(tiles.size()), [&](int i) { findPeaks(plane, tiles[i], kind, options, found[i]); });
    for (const auto& list : found) candidates.insert(candidates.end(), list.begin(), list.end());
  }
  std::stable_sort(candidates.begin(), candidates.end(), [](const Feature& a, const Feature& b) { return a.strength > b.strength; });
  std::vector<Feature> chosen;
  for (const Feature& feature : candidates) {
    if (!spread.wants(feature.position)) continue;
    spread.take(feature.position);
    chosen.push_back(feature);
  }
  return chosen;
}

}  // namespace dusky
