#include "core/dense/clean.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <map>
#include <unordered_set>

#include "core/base/parallel.h"
#include "core/mask/mask_keys.h"

namespace dusky {
namespace {

constexpr int kChunk = 8192;

using Cell = std::array<std::int64_t, 3>;

/// Of a grid of cells of this size, the one that a place is in.
Cell cellOf(const Eigen::Vector3f& at, double size) {
  Cell cell{};
  for (std::size_t axis = 0; axis < 3; ++axis) cell[axis] = static_cast<std::int64_t>(std::floor(static_cast<double>(at[static_cast<int>(axis)]) / size));
  return cell;
}

CleanReason reasonBySight(const DensePoint& p, const CleanRules& rules) {
  if (p.views < rules.least_views) return CleanReason::Views;
  if (static_cast<double>(p.confidence) < rules.least_confidence) return CleanReason::Confidence;
  if (static_cast<double>(p.slant_deg) > rules.most_slant_deg) return CleanReason::Slant;
  if (static_cast<double>(p.color_apart) > rules.most_color_apart) return CleanReason::Color;
  return CleanReason::Kept;
}

CleanReason reasonByPlace(const Vec3& place, const CleanRules& rules) {
  if (rules.region && !rules.region->holds(place)) return CleanReason::Region;
  for (const DenseCut& cut : rules.cuts) {
    if (cut.holds(place) != cut.keeps) return CleanReason::Cut;
  }
  return CleanReason::Kept;
}

/// Cells that hold points, of a size.
class FilledCells {
 public:
  explicit FilledCells(double size) : size_(size) {}
  void add(const Eigen::Vector3f& at) { filled_.insert(keyOf(cellOf(at, size_))); }
  /// How many of the 27 cells around hold a point.
  int around(const Eigen::Vector3f& at) const {
    const Cell middle = cellOf(at, size_);
    int filled = 0;
    for (int k = 0; k < 27; ++k) filled += filled_.contains(keyOf({middle[0] + k % 3 - 1, middle[1] + k / 3 % 3 - 1, middle[2] + k / 9 - 1}));
    return filled;
  }

 private:
  static std::uint64_t keyOf(const Cell& cell) {
    std::uint64_t key = 0;
    for (const std::int64_t c : cell) key = (key << 21) | (static_cast<std::uint64_t>(c) & 0x1fffff);
    return key;
  }
  double size_;
  std::unordered_set<std::uint64_t> filled_;
};

/// Of the surface around each point, the share that is there. Points are compared at the size of their own pixels, in powers of two.
std::vector<float> neighbourShares(const DenseCloud& cloud, const Progress& progress) {
  constexpr double kCell_px = 4, kOnAPlane = 9;
  std::vector<float> shares(cloud.points.size(), 0);
  std::map<int, std::vector<std::size_t>> by_size;
  const auto sizeOf = [](const DensePoint& p) { return static_cast<int>(std::floor(std::log2(std::max(static_cast<double>(p.pixel), 1e-12)))); };
  for (std::size_t k = 0; k < cloud.points.size(); ++k) by_size[sizeOf(cloud.points[k])].push_back(k);
  std::size_t done = 0;
  for (const auto& [size, own] : by_size) {
    progress.report(static_cast<double>(done++) / static_cast<double>(by_size.size()), "looking for stray points");
    if (progress.stopRequested()) return shares;
    FilledCells cells(kCell_px * std::exp2(size + 1));
    // Larger pixels lie farther apart than these cells: they fill none that their own would not.
    for (const auto& [other, points] : by_size) {
      if (other > size + 1) continue;
      for (const std::size_t k : points) cells.add(cloud.points[k].at);
    }
    parallelFor(
        static_cast<int>(own.size()),
        [&](int i) {
          const std::size_t k = own[static_cast<std::size_t>(i)];
          shares[k] = static_cast<float>(std::min(1.0, cells.around(cloud.points[k].at) / kOnAPlane));
        },
        kChunk);
  }
  return shares;
}

Status inRange(double value, double low, double high, std::string_view what) {
  if (value >= low && value <= high) return Done{};
  return invalidInput(fmt::format("{} is {:g} to {:g}, not {:g}.", what, low, high, value));
}

/// Whether a place of the view is under the brush.
bool nearStroke(const DenseCut& cut, const Vec2& at) {
  const auto round = [&](const Vec2& p) { return Vec2(cut.aspect * p.x(), p.y()); };
  const Vec2 here = round(at);
  for (std::size_t k = 0; k < cut.outline.size(); ++k) {
    const Vec2 from = round(cut.outline[k]), way = round(cut.outline[std::min(k + 1, cut.outline.size() - 1)]) - from;
    const double along = way.squaredNorm() > 0 ? std::clamp((here - from).dot(way) / way.squaredNorm(), 0.0, 1.0) : 0;
    if ((from + along * way - here).squaredNorm() <= cut.brush * cut.brush) return true;
  }
  return false;
}

}  // namespace

bool DenseCut::holds(const Vec3& place) const {
  const double depth = along.dot(place);
  if (!(depth >= near && depth <= far)) return false;
  const Eigen::Vector4d clip = clip_from_scene * place.homogeneous();
  if (!(clip.w() > 0)) return false;
  return covers(clip.head<2>() / clip.w());
}

bool DenseCut::covers(const Vec2& at) const { return brush > 0 ? nearStroke(*this, at) : outline.size() >= 3 && insideLine(outline, at); }

Status CleanRules::check() const {
  for (const Status& fine :
       {inRange(least_views, 3, 16, "The least number of depth maps that agree on a point"), inRange(least_confidence, 0, 1, "The least confidence of a point"),
        inRange(most_slant_deg, 1, 90, "The slant at which a surface is seen at most, in degrees,"),
        inRange(most_color_apart, 1, 255, "How far colours may be apart, in grey levels,"),
        inRange(least_neighbours, 0, 1, "The share of the surface around a point")}) {
    if (!fine.ok()) return fine;
  }
  if (region && !(region->low.allFinite() && region->high.allFinite() && (region->low.array() <= region->high.array()).all()))
    return invalidInput("The region of dense points has a corner that is lower and one that is higher along each axis.");
  return Done{};
}

Status DenseSettings::check() const {
  if (!(spacing >= 0) || !std::isfinite(spacing)) return invalidInput(fmt::format("The spacing of dense points is a length from 0 on, not {:g}.", spacing));
  if (!keyframes.empty() && (keyframes.size() < 3 || std::adjacent_find(keyframes.begin(), keyframes.end(), std::greater_equal<>()) != keyframes.end()))
    return invalidInput("Keyframes of dense points are three frames at least, each once, in their order.");
  if (triangles < 100) return invalidInput(fmt::format("A mesh has 100 triangles at least, not {}.", triangles));
  return clean.check();
}

Result<Cleaning> cleanDense(const DenseCloud& cloud, const CleanRules& rules, const Similarity& scene_from_solve, const Progress& progress) {
  if (const Status fine = rules.check(); !fine.ok()) return fine.error();
  Cleaning cleaning{std::vector<CleanReason>(cloud.points.size(), CleanReason::Kept)};
  const bool strays = rules.least_neighbours > 0;
  const std::vector<float> shares = strays ? neighbourShares(cloud, progress) : std::vector<float>();
  if (progress.stopRequested()) return cancelled();
  const bool placed = rules.region || !rules.cuts.empty();
  parallelFor(
      static_cast<int>(cloud.points.size()),
      [&](int i) {
        const auto k = static_cast<std::size_t>(i);
        CleanReason& reason = cleaning.reasons[k];
        reason = reasonBySight(cloud.points[k], rules);
        if (reason == CleanReason::Kept && strays && static_cast<double>(shares[k]) < rules.least_neighbours) reason = CleanReason::Stray;
        if (reason == CleanReason::Kept && placed) reason = reasonByPlace(scene_from_solve * cloud.points[k].at.cast<double>(), rules);
      },
      kChunk);
  for (const CleanReason reason : cleaning.reasons) ++cleaning.counts[static_cast<std::size_t>(reason)];
  return cleaning;
}

Result<DenseCloudPtr> cleanedDense(const DenseCloud& cloud, const DenseSettings& settings, const Similarity& scene_from_solve, const Progress& progress) {
  if (const Status fine = settings.check(); !fine.ok()) return fine.error();
  const auto cleaning = cleanDense(cloud, settings.clean, scene_from_solve, progress);
  if (!cleaning.ok()) return cleaning.error();
  if (cleaning->kept() == 0) return invalidInput("The clean-up rules leave no dense point. Loosen them in the Dense step.");
  DenseCloud kept;
  kept.points.reserve(cleaning->kept());
  for (std::size_t k = 0; k < cloud.points.size(); ++k) {
    if (cleaning->reasons[k] == CleanReason::Kept) kept.points.push_back(cloud.points[k]);
  }
  if (settings.spacing > 0) kept = thinned(std::move(kept), settings.spacing / scene_from_solve.scale);
  return std::make_shared<const DenseCloud>(std::move(kept));
}

DenseCloud thinned(DenseCloud cloud, double spacing) {
  struct Place {
    Cell cell;
    std::size_t point;
  };
  std::vector<Place> places;
  places.reserve(cloud.points.size());
  for (std::size_t k = 0; k < cloud.points.size(); ++k) places.push_back({cellOf(cloud.points[k].at, spacing), k});
  std::sort(places.begin(), places.end(), [&](const Place& a, const Place& b) {
    if (a.cell != b.cell) return a.cell < b.cell;
    const float sure_a = cloud.points[a.point].confidence, sure_b = cloud.points[b.point].confidence;
    return sure_a != sure_b ? sure_a > sure_b : a.point < b.point;
  });
  DenseCloud out;
  for (std::size_t k = 0; k < places.size(); ++k) {
    if (k == 0 || places[k].cell != places[k - 1].cell) out.points.push_back(cloud.points[places[k].point]);
  }
  return out;
}

}  // namespace dusky
