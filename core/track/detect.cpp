#include "core/track/detect.h"

#include <algorithm>
#include <cmath>

#include "core/base/parallel.h"

namespace dusky {
namespace {

void multiplyGradients(const float* above, const float* here, const float* below, int width, float* __restrict xx, float* __restrict xy, float* __restrict yy) {
  for (int x = 0; x < width; ++x) {
    const float gx = 0.5f * (here[x + 1] - here[x - 1]), gy = 0.5f * (below[x] - above[x]);
    xx[x] = gx * gx;
    xy[x] = gx * gy;
    yy[x] = gy * gy;
  }
}

/// Products of gradients of one row: xx, xy, yy, one after the other.
class TensorRow {
 public:
  explicit TensorRow(int width) : width_(width), values_(3 * static_cast<std::size_t>(width)) {}

  const float* product(int which) const { return values_.data() + static_cast<std::ptrdiff_t>(which) * width_; }
  void fill(const FloatPlane& plane, int left, int y) {
    float* xx = values_.data();
    multiplyGradients(plane.row(y - 1) + left, plane.row(y) + left, plane.row(y + 1) + left, width_, xx, xx + width_,
                      xx + 2 * static_cast<std::ptrdiff_t>(width_));
  }
  void add(const TensorRow& row) {
    for (std::size_t i = 0; i < values_.size(); ++i) values_[i] += row.values_[i];
  }
  void exchange(const TensorRow& in, const TensorRow& out) {
    for (std::size_t i = 0; i < values_.size(); ++i) values_[i] += in.values_[i] - out.values_[i];
  }

 private:
  int width_;
  std::vector<float> values_;
};

/// out[x] = in[x] + ... + in[x + window - 1], by doubling: no sum waits for the one before.
void sumAlong(const float* in, int window, float* out, int count) {
  thread_local std::vector<float> twos;
  const int wide = count + window;
  twos.assign(in, in + wide - 1);
  float* two = twos.data();
  std::fill_n(out, count, 0.0f);
  // `two` holds sums of `length`; those of the window's binary digits are added up.
  int done = 0;
  for (int length = 1; length <= window; length *= 2) {
    if (window & length) {
      for (int x = 0; x < count; ++x) out[x] += two[x + done];
      done += length;
    }
    const int left = wide - 1 - 2 * length + 1;
    for (int x = 0; x < left; ++x) two[x] += two[x + length];
  }
}

/// Sums over windows along a row of column sums, and the smaller eigenvalue of each.
void writeStrength(const TensorRow& columns, int radius, float* __restrict out, int count) {
  const int window = 2 * radius + 1;
  const float area = static_cast<float>(window * window);
  thread_local std::vector<float> sums;
  sums.resize(3 * static_cast<std::size_t>(count));
  for (int k = 0; k < 3; ++k) sumAlong(columns.product(k), window, sums.data() + static_cast<std::ptrdiff_t>(k) * count, count);
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
  FloatPlane out = FloatPlane::unset(tile.x1 - tile.x0 + 2, tile.y1 - tile.y0 + 2);
  const int left = tile.x0 - 1 - radius, span = out.width + 2 * radius, window = 2 * radius + 1;
  std::vector<TensorRow> ring(static_cast<std::size_t>(window) + 1, TensorRow(span));
  TensorRow columns(span);
  for (int j = 0; j < out.height + 2 * radius; ++j) {
    TensorRow& newest = ring[static_cast<std::size_t>(j) % ring.size()];
    newest.fill(plane, left, tile.y0 - 1 - radius + j);
    if (j < window)
      columns.add(newest);
    else
      columns.exchange(newest, ring[static_cast<std::size_t>(j + 1) % ring.size()]);
    if (j >= window - 1) writeStrength(columns, radius, out.row(j - window + 1), out.width);
  }
  return out;
}

struct SizeClass {
  FeatureSize size;
  int window_radius;
};

/// A pixel of a level at which a feature may lie.
struct Peak {
  int x = 0, y = 0;
  double strength = 0;
  SizeClass kind;
};

void findPeaks(const FloatPlane& plane, const Tile& tile, const SizeClass& kind, float min_strength, std::vector<Peak>& out) {
  const FloatPlane strength = strengthIn(plane, tile, kind.window_radius);
  // Localisation error grows with the level's pixel size; its square weighs the strength.
  const double weight = 1.0 / (pxOf(kind.size) * pxOf(kind.size));
  for (int y = 1; y < strength.height - 1; ++y) {
    const float *row = strength.row(y), *above = strength.row(y - 1), *below = strength.row(y + 1);
    for (int x = 1; x < strength.width - 1; ++x) {
      const float v = row[x];
      if (v < min_strength || v < row[x + 1] || v <= row[x - 1] || v <= above[x] || v < below[x] || !isPeak(strength, x, y)) continue;
      out.push_back({x + tile.x0 - 1, y + tile.y0 - 1, v * weight, kind});
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
  /// Whether a place up to `reach` away from this one may be wanted.
  bool mayWantNear(const Vec2& p, double reach) const {
    const int x0 = columnOf(p.x() - reach), x1 = columnOf(p.x() + reach), y0 = rowOf(p.y() - reach), y1 = rowOf(p.y() + reach);
    for (int y = y0; y <= y1; ++y) {
      for (int x = x0; x <= x1; ++x) {
        if (counts_[static_cast<std::size_t>(y) * columns_ + x] < share_) return true;
      }
    }
    return false;
  }

 private:
  int columnOf(double x) const { return std::clamp(static_cast<int>(x / cell_), 0, columns_ - 1); }
  int rowOf(double y) const { return std::clamp(static_cast<int>(y / cell_), 0, rows_ - 1); }
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
  std::vector<Peak> peaks;
  for (const SizeClass& kind : classesOf(options.sizes)) {
    if (levelOf(kind.size) >= static_cast<int>(pyramid.levels.size())) continue;
    const FloatPlane& plane = pyramid.levels[levelOf(kind.size)];
    const std::vector<Tile> tiles = hungryTiles(spread, plane, kind, options);
    // Each tile its own list, put together in order: the same with any number of threads.
    std::vector<std::vector<Peak>> found(tiles.size());
    parallelFor(static_cast<int>(tiles.size()), [&](int i) { findPeaks(plane, tiles[i], kind, static_cast<float>(options.min_strength), found[i]); });
    for (const auto& list : found) peaks.insert(peaks.end(), list.begin(), list.end());
  }
  std::stable_sort(peaks.begin(), peaks.end(), [](const Peak& a, const Peak& b) { return a.strength > b.strength; });
  std::vector<Feature> chosen;
  for (const Peak& peak : peaks) {
    const double px = pxOf(peak.kind.size);
    if (!spread.mayWantNear(px * Vec2(peak.x + 0.5, peak.y + 0.5), px * peak.kind.window_radius)) continue;
    const Vec2 place = px * cornerPoint(pyramid.levels[levelOf(peak.kind.size)], peak.x, peak.y, peak.kind.window_radius);
    if ((options.allowed && !options.allowed(place)) || !spread.wants(place)) continue;
    spread.take(place);
    chosen.push_back({place, peak.strength, peak.kind.size});
  }
  return chosen;
}

}  // namespace dusky
