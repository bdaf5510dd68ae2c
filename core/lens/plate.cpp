#include "core/lens/plate.h"

#include <algorithm>
#include <cmath>
#include <limits>

#include "core/base/parallel.h"
#include "core/lens/bend.h"

namespace dusky {
namespace {

/// Half of its width and height, so that a lens's whole picture lies inside; no more than `most`.
Vec2 reachOf(const Lens& lens, double focal, const Vec2& most) {
  constexpr int kSteps = 64;
  Vec2 reach = Vec2::Zero();
  const auto take = [&](double u, double v) {
    const auto n = lens.undistort({u, v});
    const Vec2 at = n ? Vec2(focal * std::abs(n->x()), focal * lens.pixel_aspect * std::abs(n->y())) : most;
    reach = reach.cwiseMax(at.cwiseMin(most));
  };
  for (int k = 0; k <= kSteps; ++k) {
    const double x = static_cast<double>(lens.width) * k / kSteps, y = static_cast<double>(lens.height) * k / kSteps;
    take(x, 0), take(x, lens.height), take(0, y), take(lens.width, y);
  }
  return reach;
}

/// Shares of a grid over the footage that lie outside of the plate, and of one over the plate that the footage does not show.
std::pair<double, double> lostShares(const Lens& lens, const Plate& plate) {
  constexpr int kGrid = 96;
  const double focal = plate.focalOf(lens);
  int cut = 0, empty = 0;
  for (int j = 0; j < kGrid; ++j) {
    for (int i = 0; i < kGrid; ++i) {
      const Vec2 share((i + 0.5) / kGrid, (j + 0.5) / kGrid);
      const auto n = lens.undistort(share.cwiseProduct(Vec2(lens.width, lens.height)));
      const Vec2 at = n ? plate.pixelOf(*n, focal) : Vec2(-1, -1);
      cut += at.x() < 0 || at.y() < 0 || at.x() > plate.width || at.y() > plate.height;
      const Vec2 back = plate.normalisedOf(share.cwiseProduct(Vec2(plate.width, plate.height)), focal), seen = lens.distort(back);
      empty += seen.x() < 0 || seen.y() < 0 || seen.x() > lens.width || seen.y() > lens.height || !lens.risingUpTo(back);
    }
  }
  return {static_cast<double>(cut) / (kGrid * kGrid), static_cast<double>(empty) / (kGrid * kGrid)};
}

}  // namespace

Plate plateFor(std::span<const Lens> lenses, const PlateShape& shape) {
  const Lens& first = lenses.front();
  Plate plate{.width = first.width, .height = first.height, .pixel_aspect = first.pixel_aspect, .focal_px = shape.focal_px};
  if (shape.whole) {
    const Vec2 half = 0.5 * Vec2(first.width, first.height);
    Vec2 reach = half;
    for (const Lens& lens : lenses) reach = reach.cwiseMax(reachOf(lens, plate.focalOf(lens), shape.most * half));
    plate.left = static_cast<int>(std::ceil(reach.x() - half.x() - 1e-6)), plate.top = static_cast<int>(std::ceil(reach.y() - half.y() - 1e-6));
    plate.width += 2 * plate.left, plate.height += 2 * plate.top;
  }
  // Of a zoom its ends lose most.
  const auto [shortest, longest] = std::minmax_element(lenses.begin(), lenses.end(), [](const Lens& a, const Lens& b) { return a.focal_px < b.focal_px; });
  for (const Lens& lens : lenses) {
    const bool between = lens.focal_px != shortest->focal_px && lens.focal_px != longest->focal_px && lens.coefficients == shortest->coefficients;
    if (between) continue;
    const auto [cut, empty] = lostShares(lens, plate);
    plate.cut_share = std::max(plate.cut_share, cut), plate.empty_share = std::max(plate.empty_share, empty);
  }
  return plate;
}

/// Whether something holds for all whole places along the edge of a picture.
template <class Holds>
static bool holdsAlongEdge(int width, int height, const Holds& holds) {
  for (int x = 0; x <= width; ++x) {
    if (!holds(Vec2(x, 0)) || !holds(Vec2(x, height))) return false;
  }
  for (int y = 0; y <= height; ++y) {
    if (!holds(Vec2(0, y)) || !holds(Vec2(width, y))) return false;
  }
  return true;
}

/// Whether the lens's picture grows outwards all over the plate: along every ray from the axis to its edge, so at every place between.
static bool risingAllOver(const Plate& plate, const Lens& lens, double focal) {
  return holdsAlongEdge(plate.width, plate.height, [&](const Vec2& at) { return lens.risingUpTo(plate.normalisedOf(at, focal)); });
}

SourceMap footageFromPlate(const Plate& plate, const Lens& lens) {
  constexpr float kNowhere = std::numeric_limits<float>::quiet_NaN();
  const double focal = plate.focalOf(lens);
  const bool rising = risingAllOver(plate, lens, focal);
  SourceMap map = SourceMap::unset(plate.width, plate.height);
  parallelFor(plate.height, [&](int y) {
    auto* row = map.row(y);
    for (int x = 0; x < plate.width; ++x) {
      const Vec2 n = plate.normalisedOf({x + 0.5, y + 0.5}, focal), seen = lens.distort(n);
      const bool shown = seen.x() >= 0 && seen.y() >= 0 && seen.x() <= lens.width && seen.y() <= lens.height && (rising || lens.risingUpTo(n));
      row[x] = shown ? std::array{static_cast<float>(seen.x()), static_cast<float>(seen.y())} : std::array{kNowhere, kNowhere};
    }
  });
  return map;
}

/// Whether every place of the footage has a ray: those of its edge have one, and all others lie within them.
static bool hasRaysAllOver(const Lens& lens) {
  const bool axis_inside = lens.cx_px >= 0 && lens.cy_px >= 0 && lens.cx_px <= lens.width && lens.cy_px <= lens.height;
  return axis_inside && holdsAlongEdge(lens.width, lens.height, [&](const Vec2& at) { return lens.undistort(at).has_value(); });
}

SourceMap plateFromFootage(const Plate& plate, const Lens& lens) {
  constexpr float kNowhere = std::numeric_limits<float>::quiet_NaN();
  const double focal = plate.focalOf(lens);
  const bool everywhere = hasRaysAllOver(lens);
  SourceMap map = SourceMap::unset(lens.width, lens.height);
  parallelFor(lens.height, [&](int y) {
    auto* row = map.row(y);
    Vec2 before = Vec2::Zero(), last = Vec2::Zero();
    int known = 0;  // pixels before this one that have a ray: two of them say where the next lies
    for (int x = 0; x < lens.width; ++x) {
      const Vec2 pixel(x + 0.5, y + 0.5);
      auto n = everywhere && known > 1 ? straightTo(lens, pixel, 2 * last - before) : std::nullopt;
      if (!n) n = lens.undistort(pixel);
      const Vec2 at = n ? plate.pixelOf(*n, focal) : Vec2::Constant(kNowhere);
      row[x] = {static_cast<float>(at.x()), static_cast<float>(at.y())};
      known = n ? known + 1 : 0;
      if (n) before = last, last = *n;
    }
  });
  return map;
}

}  // namespace dusky
