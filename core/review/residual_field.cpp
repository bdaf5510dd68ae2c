#include "core/review/residual_field.h"

#include <algorithm>
#include <cmath>

namespace dusky {
namespace {

constexpr int kFewTracks = 4;

/// Sums over the tracks of one cell.
struct Sums {
  int tracks = 0;
  Vec2 sum = Vec2::Zero();
  double squares = 0;
};

/// One track's errors in the cell it is in at the time.
struct Stay {
  int cell = -1, sightings = 0;
  Vec2 sum = Vec2::Zero();
};

void leave(const Stay& stay, std::vector<Sums>& cells) {
  if (stay.sightings == 0) return;
  const Vec2 mean = stay.sum / stay.sightings;
  Sums& cell = cells[static_cast<std::size_t>(stay.cell)];
  ++cell.tracks;
  cell.sum += mean;
  cell.squares += mean.squaredNorm();
}

double sigmasOf(const Sums& s) {
  const Vec2 mean = s.sum / s.tracks;
  // Of one coordinate.
  const double variance = std::max(1e-12, (s.squares / s.tracks - mean.squaredNorm()) / 2 * s.tracks / (s.tracks - 1));
  return mean.norm() / std::sqrt(variance / s.tracks);
}

}  // namespace

double ResidualField::longest() const {
  double longest = 0, longest_clear = 0;
  for (const FieldCell& cell : cells) {
    double& of = cell.sigmas >= kClearCell_sigmas ? longest_clear : longest;
    of = std::max(of, cell.mean.norm());
  }
  return longest_clear > 0 ? longest_clear : longest;
}

int ResidualField::clearCells() const {
  return static_cast<int>(std::count_if(cells.begin(), cells.end(), [](const FieldCell& cell) { return cell.sigmas >= kClearCell_sigmas; }));
}

ResidualField residualField(const Solution& solution, const TrackSet& tracks, int columns) {
  ResidualField field;
  const Lens lens = solution.lens();
  if (lens.width <= 0) return field;
  field.cell_px = static_cast<double>(lens.width) / columns;
  const int rows = std::max(1, static_cast<int>(std::ceil(lens.height / field.cell_px)));
  std::vector<Sums> sums(static_cast<std::size_t>(columns) * rows);
  for (const SolvedTrack& solved : solution.tracks) {
    const Track* track = solved.state == TrackState::Kept ? tracks.find(solved.id) : nullptr;
    if (!track) continue;
    Stay stay;
    for (const TrackError& e : solved.errors) {
      const Observation* seen = e.used && !std::isnan(e.error_px) ? track->at(e.frame) : nullptr;
      if (!seen) continue;
      const int column = std::clamp(static_cast<int>(seen->position.x() / field.cell_px), 0, columns - 1);
      const int row = std::clamp(static_cast<int>(seen->position.y() / field.cell_px), 0, rows - 1);
      if (const int cell = row * columns + column; cell != stay.cell) leave(std::exchange(stay, Stay{.cell = cell}), sums);
      ++stay.sightings;
      stay.sum += e.reprojected - seen->position;
    }
    leave(stay, sums);
  }
  for (std::size_t i = 0; i < sums.size(); ++i) {
    const Sums& s = sums[i];
    if (s.tracks < kFewTracks) continue;
    const Vec2 middle((static_cast<double>(i % columns) + 0.5) * field.cell_px, (static_cast<double>(i / columns) + 0.5) * field.cell_px);
    field.cells.push_back({middle, s.sum / s.tracks, s.tracks, sigmasOf(s)});
  }
  return field;
}

}  // namespace dusky
