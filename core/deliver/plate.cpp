#include "core/deliver/plate.h"

#include <algorithm>
#include <cmath>
#include <limits>
#include <set>

#include "core/base/parallel.h"

namespace dusky {
namespace {

/// Lenses that are looked through, each once.
std::vector<Lens> lensesOf(const Solution& solution) {
  std::vector<Lens> lenses;
  std::set<std::pair<int, double>> seen;
  for (const SolvedFrame& frame : solution.frames) {
    const Lens lens = solution.lensAt(frame);
    if (frame.placed && seen.insert({frame.camera, lens.focal_px}).second) lenses.push_back(lens);
  }
  if (lenses.empty()) lenses.push_back(solution.lens());
  return lenses;
}

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

Plate plateOf(const Solution& solution, const PlateOptions& options) {
  const std::vector<Lens> lenses = lensesOf(solution);
  const Lens& first = lenses.front();
  Plate plate{.width = first.width, .height = first.height, .pixel_aspect = first.pixel_aspect, .focal_px = options.focal_px};
  if (options.fit == PlateFit::Whole) {
    const Vec2 half = 0.5 * Vec2(first.width, first.height);
    Vec2 reach = half;
    for (const Lens& lens : lenses) reach = reach.cwiseMax(reachOf(lens, plate.focalOf(lens), kMostOverscan * half));
    plate.left = static_cast<int>(std::ceil(reach.x() - half.x() - 1e-6)), plate.top = static_cast<int>(std::ceil(reach.y() - half.y() - 1e-6));
    plate.width += 2 * plate.left, plate.height += 2 * plate.top;
  }
  for (const Lens& lens : lenses) {
    const auto [cut, empty] = lostShares(lens, plate);
    plate.cut_share = std::max(plate.cut_share, cut), plate.empty_share = std::max(plate.empty_share, empty);
  }
  return plate;
}

SourceMap footageFromPlate(const Plate& plate, const Lens& lens) {
  constexpr float kNowhere = std::numeric_limits<float>::quiet_NaN();
  const double focal = plate.focalOf(lens);
  SourceMap map = SourceMap::unset(plate.width, plate.height);
  parallelFor(plate.height, [&](int y) {
    auto* row = map.row(y);
    for (int x = 0; x < plate.width; ++x) {
      const Vec2 n = plate.normalisedOf({x + 0.5, y + 0.5}, focal), seen = lens.distort(n);
      const bool shown = seen.x() >= 0 && seen.y() >= 0 && seen.x() <= lens.width && seen.y() <= lens.height && lens.risingUpTo(n);
      row[x] = shown ? std::array{static_cast<float>(seen.x()), static_cast<float>(seen.y())} : std::array{kNowhere, kNowhere};
    }
  });
  return map;
}

SourceMap plateFromFootage(const Plate& plate, const Lens& lens) {
  constexpr float kNowhere = std::numeric_limits<float>::quiet_NaN();
  const double focal = plate.focalOf(lens);
  SourceMap map = SourceMap::unset(lens.width, lens.height);
  parallelFor(lens.height, [&](int y) {
    auto* row = map.row(y);
    for (int x = 0; x < lens.width; ++x) {
      const auto n = lens.undistort({x + 0.5, y + 0.5});
      const Vec2 at = n ? plate.pixelOf(*n, focal) : Vec2::Constant(kNowhere);
      row[x] = {static_cast<float>(at.x()), static_cast<float>(at.y())};
    }
  });
  return map;
}

bool oneLens(const Solution& solution) { return lensesOf(solution).size() == 1; }

}  // namespace dusky
