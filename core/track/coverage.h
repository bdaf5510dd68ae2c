#pragma once
#include <vector>

#include "core/track/detect.h"
#include "core/track/track_set.h"

namespace dusky {

/// How evenly tracks fill picture and time: cells x frames, and how many tracks each holds.
struct Coverage {
  int columns = TrackSet::kCellColumns, rows = TrackSet::kCellRows;
  std::vector<int> frames;             ///< Looked at, ascending.
  std::vector<int> counts;             ///< frames x (rows x columns), tracks with a place there.
  std::vector<std::uint8_t> textured;  ///< The same shape: 0 where the cell holds nothing to track; empty: not looked at.

  int count(int frame_index, int cell) const { return counts[static_cast<std::size_t>(frame_index) * cells() + cell]; }
  int cells() const { return columns * rows; }
  bool hasTexture(int frame_index, int cell) const { return textured.empty() || textured[static_cast<std::size_t>(frame_index) * cells() + cell] != 0; }
  /// Share of the cells with texture that hold at least so many tracks, over all frames or in one; unknown where no cell has texture.
  double shareWith(int least, int frame_index = -1) const;
};

/// With what the tracker knew of texture.
Coverage coverageOf(const TrackSet& tracks);

/// Which cells of a frame hold something to track, row by row: those where at least three features over the floor of strength stand
/// `options.min_distance_px` apart.
std::vector<std::uint8_t> texturedCells(const Pyramid& pyramid, DetectOptions options);

}  // namespace dusky
