#include "core/mask/mask.h"

#include <algorithm>
#include <cmath>
#include <limits>

namespace dusky {
namespace {

using Vec = Eigen::Vector2d;

constexpr double kFar = 1e12;

/// Squared distances along one line: lower envelope of parabolas.
void distancesAlong(std::vector<double>& f, std::vector<double>& out, std::vector<int>& at, std::vector<double>& from) {
  const int n = static_cast<int>(f.size());
  int k = 0;
  at[0] = 0;
  from[0] = -std::numeric_limits<double>::infinity();
  from[1] = std::numeric_limits<double>::infinity();
  for (int q = 1; q < n; ++q) {
    const auto meet = [&](int p) { return ((f[q] + static_cast<double>(q) * q) - (f[p] + static_cast<double>(p) * p)) / (2.0 * q - 2.0 * p); };
    double s = meet(at[k]);
    while (s <= from[k]) s = meet(at[--k]);
    at[++k] = q;
    from[k] = s;
    from[k + 1] = std::numeric_limits<double>::infinity();
  }
  k = 0;
  for (int q = 0; q < n; ++q) {
    while (from[k + 1] < q) ++k;
    const double d = q - at[k];
    out[q] = d * d + f[at[k]];
  }
}

/// Squared distance of every pixel from the nearest that is `wanted` (0 or not).
Plane<double> squaredDistances(const Plane<std::uint8_t>& mask, bool wanted) {
  Plane<double> d(mask.width, mask.height);
  for (std::size_t i = 0; i < d.data.size(); ++i) d.data[i] = (mask.data[i] != 0) == wanted ? 0 : kFar;
  const auto longest = static_cast<std::size_t>(std::max(mask.width, mask.height));
  std::vector<double> line, out, from(longest + 1);
  std::vector<int> at(longest);
  line.resize(mask.height), out.resize(mask.height);
  for (int x = 0; x < mask.width; ++x) {
    for (int y = 0; y < mask.height; ++y) line[y] = d.at(x, y);
    distancesAlong(line, out, at, from);
    for (int y = 0; y < mask.height; ++y) d.at(x, y) = out[y];
  }
  line.resize(mask.width), out.resize(mask.width);
  for (int y = 0; y < mask.height; ++y) {
    std::copy_n(d.row(y), mask.width, line.begin());
    distancesAlong(line, out, at, from);
    std::copy_n(out.begin(), mask.width, d.row(y));
  }
  return d;
}

std::vector<Vec> cornersOf(const Mask& mask, const MaskKey& key) {
  const Vec half = key.points.empty() ? Vec::Zero() : key.points.front();
  if (mask.shape == MaskShape::Box) return {{-half.x(), -half.y()}, {half.x(), -half.y()}, {half.x(), half.y()}, {-half.x(), half.y()}};
  if (mask.shape == MaskShape::Curve) return key.points;
  constexpr int kCorners = 64;
  std::vector<Vec> ellipse;
  for (int i = 0; i < kCorners; ++i) {
    const double a = 2 * 3.14159265358979 * i / kCorners;
    ellipse.emplace_back(half.x() * std::cos(a), half.y() * std::sin(a));
  }
  return ellipse;
}

std::vector<Vec> smoothed(const std::vector<Vec>& p) {
  constexpr int kPerSide = 12;
  const std::size_t n = p.size();
  if (n < 3) return p;
  std::vector<Vec> line;
  for (std::size_t i = 0; i < n; ++i) {
    const Vec &a = p[(i + n - 1) % n], &b = p[i], &c = p[(i + 1) % n], &d = p[(i + 2) % n];
    for (int k = 0; k < kPerSide; ++k) {
      const double t = static_cast<double>(k) / kPerSide;
      line.push_back(0.5 * (2 * b + t * (c - a) + t * t * (2 * a - 5 * b + 4 * c - d) + t * t * t * (3 * b - a - 3 * c + d)));
    }
  }
  return line;
}
}  // namespace

bool Mask::holdsIn(int frame) const {
  return ranges.empty() || std::any_of(ranges.begin(), ranges.end(), [frame](const FrameRange& r) { return frame >= r.first && frame <= r.last; });
}

MaskKey maskAt(const Mask& mask, int frame) {
  if (mask.keys.empty()) return {};
  const auto after = std::upper_bound(mask.keys.begin(), mask.keys.end(), frame, [](int f, const MaskKey& k) { return f < k.frame; });
  MaskKey now = after == mask.keys.begin() ? mask.keys.front() : *std::prev(after);
  if (after != mask.keys.begin() && after != mask.keys.end()) {
    const MaskKey& before = *std::prev(after);
    const double t = static_cast<double>(frame - before.frame) / (after->frame - before.frame);
    now.position += t * (after->position - before.position);
    now.scale += t * (after->scale - before.scale);
    now.rotation_rad += t * (after->rotation_rad - before.rotation_rad);
    for (std::size_t i = 0; before.points.size() == after->points.size() && i < now.points.size(); ++i)
      now.points[i] += t * (after->points[i] - before.points[i]);
  }
  now.frame = frame;
  return now;
}

std::vector<Vec> outlineOf(const Mask& mask, int frame) {
  const MaskKey key = maskAt(mask, frame);
  std::vector<Vec> line = cornersOf(mask, key);
  if (mask.shape == MaskShape::Curve) line = smoothed(line);
  const double c = key.scale * std::cos(key.rotation_rad), s = key.scale * std::sin(key.rotation_rad);
  for (Vec& p : line) p = key.position + Vec(c * p.x() - s * p.y(), s * p.x() + c * p.y());
  return line;
}

Plane<std::uint8_t> fillLine(const std::vector<Vec>& line, int width, int height) {
  Plane<std::uint8_t> plane(width, height);
  std::vector<double> crossings;
  for (int y = 0; y < height; ++y) {
    crossings.clear();
    const double v = y + 0.5;
    for (std::size_t i = 0, j = line.size() - 1; i < line.size(); j = i++) {
      const Vec &a = line[j], &b = line[i];
      if ((a.y() > v) != (b.y() > v)) crossings.push_back(a.x() + (v - a.y()) / (b.y() - a.y()) * (b.x() - a.x()));
    }
    std::sort(crossings.begin(), crossings.end());
    for (std::size_t k = 0; k + 1 < crossings.size(); k += 2) {
      const int from = static_cast<int>(std::clamp(std::ceil(crossings[k] - 0.5), 0.0, static_cast<double>(width)));
      const int to = static_cast<int>(std::clamp(std::ceil(crossings[k + 1] - 0.5), 0.0, static_cast<double>(width)));
      std::fill(plane.row(y) + from, plane.row(y) + std::max(from, to), std::uint8_t{1});
    }
  }
  return plane;
}

Plane<std::uint8_t> grown(const Plane<std::uint8_t>& inside, double px) {
  if (std::abs(px) < 0.5 || inside.empty()) return inside;
  const bool larger = px > 0;
  const Plane<double> d = squaredDistances(inside, larger);
  Plane<std::uint8_t> out(inside.width, inside.height);
  for (std::size_t i = 0; i < out.data.size(); ++i) out.data[i] = (d.data[i] <= px * px) == larger;
  return out;
}
}  // namespace dusky
