#pragma once
#include <vector>

#include "core/solve/solution.h"
#include "core/track/track_set.h"

namespace dusky {

/// The errors of kept tracks in one cell of the picture, over all frames of the solve.
struct FieldCell {
  Vec2 middle = Vec2::Zero();  ///< px of the footage.
  Vec2 mean = Vec2::Zero();    ///< From where tracks were measured to where the solve sees them, mean over the tracks' own means, px.
  int tracks = 0;              ///< That were seen here.
  double sigmas = 0;           ///< How far the mean is from none, in its standard deviations.
};

/// What is wrong everywhere alike shows in it at once: a lens that bends otherwise, an axis elsewhere, a readout time.
struct ResidualField {
  double cell_px = 0;            ///< Width and height of a cell.
  std::vector<FieldCell> cells;  ///< Those with four tracks or more: fewer tell nothing.

  /// The longest mean error of a cell, px; of those clear over chance where there are any.
  double longest() const;
  int clearCells() const;
};

/// A cell's mean is clear from so many standard deviations on: chance alone hardly gives one in a picture.
inline constexpr double kClearCell_sigmas = 4;

/// `columns`: cells across the picture, > 0. Tracks are taken as one sample each: errors of one track from frame to frame hang together.
ResidualField residualField(const Solution& solution, const TrackSet& tracks, int columns = 16);

}  // namespace dusky
