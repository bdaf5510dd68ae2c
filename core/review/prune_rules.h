#pragma once
#include <array>
#include <string>
#include <string_view>
#include <vector>

#include "core/review/track_measures.h"
#include "core/solve/solve_options.h"
#include "core/track/track_set.h"

namespace dusky {

/// A closed line in a frame: tracks that are seen inside of it there.
struct PruneRegion {
  int frame = 0;
  std::vector<Vec2> outline;  ///< Full-size px.
  bool operator==(const PruneRegion&) const = default;
};

/// Which tracks and sightings a solve should do without. A limit of 0 is off.
struct PruneRules {
  int min_life = 0;               ///< Frames; shorter tracks go. 0 to 100000.
  double max_typical_px = 0;      ///< Typical error above it. 0 to 1000, px.
  double max_worst_px = 0;        ///< Worst error above it. 0 to 1000, px.
  double min_parallax_deg = 0;    ///< Less parallax; tracks without a depth are none of these. 0 to 90.
  double max_depth_sigma_pc = 0;  ///< Standard deviation of the place, per cent of the distance from the nearest camera, above it. 0 to 1000.
  double max_distance = 0;        ///< Farther than so many times the median distance of the kept ones. 0 to 1e6.
  bool behind = false;            ///< Behind a camera that is said to see them.
  double max_creep_px =
      0;  ///< Errors that move by more along a line over its life, px, clearly (four standard deviations): what slides along an edge. 0 to 1000.
  double max_shared_px = 0;  ///< Errors that go together with those of neighbours, RMS of what is common, px: a reflection, something that moves. 0 to 1000.
  std::vector<PruneRegion> regions;

  double max_sighting_px = 0;  ///< Single sightings with a larger error, of tracks that stay. 0 to 1000, px.
  double edge_px = 0;          ///< Single sightings nearer to the picture's edge. 0 to 10000, px.

  int frame_floor = 24;  ///< A track stays where a frame would be left with fewer kept ones. 0 to 10000.
  int cell_floor = 2;    ///< The same for each cell of the picture, of four by three, in a frame. 0 to 1000.

  bool any() const;
  /// Errors: InvalidInput naming what is out of range.
  Status check() const;
  bool operator==(const PruneRules&) const = default;
};

enum class PruneRule : std::uint8_t { Life, Typical, Worst, Parallax, DepthSigma, Distance, Behind, Creep, Shared, Region, Count };
/// "life", "typical error" ...
std::string_view describe(PruneRule rule);

/// What rules take out of a solve.
struct PruneChoice {
  std::vector<int> tracks;                                                ///< That go, ascending.
  std::vector<TrackFrame> sightings;                                      ///< Of tracks that stay, ascending.
  std::vector<int> spared;                                                ///< Tracks that go by the rules but are needed where few are left, ascending.
  std::array<int, static_cast<std::size_t>(PruneRule::Count)> by_rule{};  ///< Tracks that each rule is met by.
  int fewest_tracks = 0, fewest_frame = 0;                                ///< The frame that is left with fewest kept tracks.
  bool empty() const { return tracks.empty() && sightings.empty(); }
};
/// `measured`: of measureTracks(), where they are known already. `pinned`: never go, ascending. Of other tracks than the solution was made from nothing goes.
/// Holdout tracks go by the same rules, so that they judge what is left.
PruneChoice choosePruning(const Solution& solution, const TrackSet& tracks, const std::vector<TrackMeasures>& measured, const PruneRules& rules,
                          const std::vector<int>& pinned = {});
PruneChoice choosePruning(const Solution& solution, const TrackSet& tracks, const PruneRules& rules, const std::vector<int>& pinned = {});

}  // namespace dusky
