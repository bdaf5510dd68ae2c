#include "core/track/coverage.h"

#include <algorithm>

namespace dusky {
namespace {

constexpr int kWorthTracking = 3;  // features that make a cell textured

int cellOf(const Vec2& p, int width, int height, int columns, int rows) {
  const int column = std::clamp(static_cast<int>(p.x() * columns / std::max(1, width)), 0, columns - 1);
  const int row = std::clamp(static_cast<int>(p.y() * rows / std::max(1, height)), 0, rows - 1);
  return row * columns + column;
}

}  // namespace

double Coverage::shareWith(int least, int frame_index) const {
  int wanted = 0, held = 0;
  for (int f = 0; f < static_cast<int>(frames.size()); ++f) {
    if (frame_index >= 0 && f != frame_index) continue;
    for (int cell = 0; cell < cells(); ++cell) {
      if (!hasTexture(f, cell)) continue;
      ++wanted;
      held += count(f, cell) >= least;
    }
  }
  return wanted > 0 ? static_cast<double>(held) / wanted : kUnknown;
}

Coverage coverageOf(const TrackSet& tracks, int columns, int rows) {
  Coverage coverage{.columns = columns, .rows = rows};
  for (int i = 0; i < tracks.frames(); ++i) coverage.frames.push_back(tracks.frameAt(i));
  coverage.counts.assign(coverage.frames.size() * static_cast<std::size_t>(coverage.cells()), 0);
  for (const Track& track : tracks.tracks) {
    for (const Observation& o : track.observations) {
      const int frame = tracks.indexOf(o.frame);
      if (frame < 0) continue;
      const int cell = cellOf(o.position, tracks.width, tracks.height, columns, rows);
      ++coverage.counts[static_cast<std::size_t>(frame) * static_cast<std::size_t>(coverage.cells()) + static_cast<std::size_t>(cell)];
    }
  }
  return coverage;
}

std::vector<std::uint8_t> texturedCells(const Pyramid& pyramid, DetectOptions options, int columns, int rows) {
  options.count = 20000;
  std::vector<int> counts(static_cast<std::size_t>(columns) * static_cast<std::size_t>(rows), 0);
  for (const Feature& feature : detectFeatures(pyramid, {}, options))
    ++counts[static_cast<std::size_t>(cellOf(feature.position, pyramid.base().width, pyramid.base().height, columns, rows))];
  std::vector<std::uint8_t> textured;
  for (const int count : counts) textured.push_back(count >= kWorthTracking);
  return textured;
}

}  // namespace dusky
