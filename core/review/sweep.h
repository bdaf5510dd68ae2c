#pragma once
#include <functional>
#include <optional>

#include "core/solve/solution.h"
#include "core/solve/solve_options.h"
#include "core/track/track_set.h"

namespace dusky {

/// One scalar of the solve over a range.
struct SweepAxis {
  std::string parameter;    ///< A parameter of the solved lens by its name ("focal_px", "k1" ...), "readout_ms", or of what is known (known_scalars.h).
  double from = 0, to = 0;  ///< from < to.
  int points = 17;          ///< In the first, wide pass, 3 to 200.
  double unit = 1;          ///< Of the readout: frame intervals in a millisecond.
};

struct SweepOptions {
  SweepAxis first;
  std::optional<SweepAxis> second;  ///< Both together, on a grid.
  bool refine = true;               ///< More points about each valley of a single axis.

  /// Errors: InvalidInput naming a range that does not rise or goes beyond what its scalar can be, or too few or many points.
  Status check() const;
};

struct SweepPoint {
  double value = 0, second = kUnknown;
  double rms_px = kUnknown;       ///< Over the same sightings at every point, everything else adjusted.
  double cost_px2 = kUnknown;     ///< The sum of their squares and of what the solve believes (ties, priors, a held path).
  double chi_squared = kUnknown;  ///< How far the cost lies over the lowest one, as a squared number of standard deviations (chi-squared).
};

/// By value, then by second value.
bool before(const SweepPoint& a, const SweepPoint& b);

enum class SweepVerdict : std::uint8_t { Clear, Several, Flat, Beyond };

struct SweepResult {
  std::vector<SweepPoint> points;  ///< By value, then by second value.
  SweepVerdict verdict = SweepVerdict::Flat;
  double best = kUnknown, best_second = kUnknown;
  double sigma = kUnknown;      ///< Of the best value of a single axis: where the cost has risen by one standard deviation.
  std::vector<double> valleys;  ///< Lowest values of a single axis's valleys.
  std::string sentence;         ///< "Clear valley at 1124.3 ± 2.1" ...
};

/// Holds one scalar (or two) of the camera or of what is known of the set at each value of a range, adjusts everything else from an earlier solve on (the same
/// problem: its path, lenses, ties and beliefs), and says what the footage tells about it. Runs on all cores; `on_point` hears each point as it comes, from any
/// thread, one at a time. Errors: InvalidInput for a scalar that the lens has not, or a range that is none. Cancelled.
Result<SweepResult> sweep(const TrackSet& tracks, const SolveOptions& options, const Solution& from, const SweepOptions& asked, const Progress& progress,
                          const std::function<void(const SweepPoint&)>& on_point = {});

/// What a single axis's points say. `points` by value, at least three.
SweepResult judgeSweep(std::vector<SweepPoint> points, std::string_view parameter);

}  // namespace dusky
