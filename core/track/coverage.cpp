#include "core/track/coverage.h"

#include <algorithm>

namespace dusky {
namespace {

constexpr int kWorthTracking = 3;  // features that make a cell textured

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

Coverage coverageOf(const TrackSet& tracks) {
  Coverage coverage;
  for (int i = 0; i < tracks.frames(); ++i) coverage.frames.push_back(tracks.frameAt(i));
  coverage.counts.assign(coverage.frames.size() * static_cast<std::size_t>(coverage.cells()), 0);
  for (const Track& track : tracks.tracks) {
    for (const Observation& o : track.observations) {
      const int frame = tracks.indexOf(o.frame);
      if (frame < 0) continue;
      const int cell = tracks.cellOf(o.position);
      ++coverage.counts[static_cast<std::size_t>(frame) * static_cast<std::size_t>(coverage.cells()) + static_cast<std::size_t>(cell)];
    }
  }
  if (tracks.textureless.size() == coverage.counts.size()) {
    for (const std::uint8_t textureless : tracks.textureless) coverage.textured.push_back(textureless == 0);
  }
  return coverage;
}

std::vector<std::uint8_t> texturedCells(const Pyramid& pyramid, DetectOptions options) {
  options.count = 20000;
  const TrackSet size{.width = pyramid.base().width, .height = pyramid.base().height};
  std::vector<int> counts(static_cast<std::size_t>(TrackSet::kCellColumns * TrackSet::kCellRows), 0);
  for (const Feature& feature : detectFeatures(pyramid, {}, options)) ++counts[static_cast<std::size_t>(size.cellOf(feature.position))];
  std::vector<std::uint8_t> textured;
  for (const int count : counts) textured.push_back(count >= kWorthTracking);
  return textured;
}

}  // namespace dusky
