#include "core/review/prune_rules.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <map>

#include "core/mask/mask_keys.h"
#include "core/solve/remeasure.h"

namespace dusky {
namespace {

constexpr int kCellsAcross = 4, kCellsDown = 3;

int cellOf(const TrackSet& tracks, const Vec2& at) {
  const int x = std::clamp(static_cast<int>(kCellsAcross * at.x() / tracks.width), 0, kCellsAcross - 1);
  const int y = std::clamp(static_cast<int>(kCellsDown * at.y() / tracks.height), 0, kCellsDown - 1);
  return y * kCellsAcross + x;
}

/// How far a value is over its limit, 1: at it; 0: the rule is off or the value is unknown.
double over(double value, double limit) { return limit > 0 && !std::isnan(value) ? value / limit : 0; }
double under(double value, double limit) { return limit > 0 && !std::isnan(value) ? limit / std::max(value, 1e-9) : 0; }

/// What stays is counted: kept tracks that move cameras, by frame and by cell.
class Coverage {
 public:
  Coverage(const Solution& solution, const TrackSet& tracks, const PruneRules& rules) : tracks_(tracks), rules_(rules) {
    for (std::size_t t = 0; t < solution.tracks.size(); ++t) {
      const SolvedTrack& track = solution.tracks[t];
      if (track.state != TrackState::Kept || track.holdout) continue;
      for (std::size_t i = 0; i < track.errors.size(); ++i) {
        if (track.errors[i].used) ++frames_[track.errors[i].frame], ++cells_[cellAt(t, i)];
      }
    }
  }
  bool canSpare(std::size_t t, std::size_t i) const {
    const int frame = tracks_.tracks[t].observations[i].frame;
    const auto in_frame = frames_.find(frame);
    const auto in_cell = cells_.find(cellAt(t, i));
    return in_frame == frames_.end() || (in_frame->second > rules_.frame_floor && (in_cell == cells_.end() || in_cell->second > rules_.cell_floor));
  }
  void take(std::size_t t, std::size_t i) { --frames_[tracks_.tracks[t].observations[i].frame], --cells_[cellAt(t, i)]; }
  const std::map<int, int>& frames() const { return frames_; }

 private:
  std::pair<int, int> cellAt(std::size_t t, std::size_t i) const {
    const Observation& o = tracks_.tracks[t].observations[i];
    return {o.frame, cellOf(tracks_, o.position)};
  }
  const TrackSet& tracks_;
  const PruneRules& rules_;
  std::map<int, int> frames_;
  std::map<std::pair<int, int>, int> cells_;
};

bool isInRegions(const Track& track, const std::vector<PruneRegion>& regions) {
  return std::any_of(regions.begin(), regions.end(), [&](const PruneRegion& region) {
    const Observation* seen = track.at(region.frame);
    return seen && region.outline.size() > 2 && insideLine(region.outline, seen->position);
  });
}

/// How far over each rule's limit a track is; over 1: it is met.
std::array<double, static_cast<std::size_t>(PruneRule::Count)> overLimits(const TrackMeasures& m, const Track& track, const PruneRules& rules) {
  return {under(m.life, rules.min_life),
          over(m.typical_px, rules.max_typical_px),
          over(m.worst_px, rules.max_worst_px),
          under(m.parallax_deg, rules.min_parallax_deg),
          over(m.depth_sigma_pc, rules.max_depth_sigma_pc),
          over(m.distance, rules.max_distance),
          rules.behind && m.behind ? 2.0 : 0.0,
          over(m.creep_px, rules.max_creep_px),
          over(m.shared_px, rules.max_shared_px),
          isInRegions(track, rules.regions) ? 2.0 : 0.0};
}

/// Single sightings of a track that stays; it keeps half of them, and three.
void chooseSightings(const SolvedTrack& track, std::size_t t, const TrackSet& tracks, const PruneRules& rules, Coverage& coverage, PruneChoice& choice) {
  int used = 0, going = 0;
  for (const TrackError& e : track.errors) used += e.used;
  for (std::size_t i = 0; i < track.errors.size(); ++i) {
    const TrackError& e = track.errors[i];
    if (!e.used) continue;
    const Vec2& at = tracks.tracks[t].observations[i].position;
    const double to_edge = std::min({at.x(), at.y(), tracks.width - at.x(), tracks.height - at.y()});
    const bool goes = (rules.max_sighting_px > 0 && e.error_px > rules.max_sighting_px) || (rules.edge_px > 0 && to_edge < rules.edge_px);
    if (!goes || used - going <= std::max(3, used / 2) || (!track.holdout && !coverage.canSpare(t, i))) continue;
    ++going;
    if (!track.holdout) coverage.take(t, i);
    choice.sightings.push_back({track.id, e.frame});
  }
}

}  // namespace

bool PruneRules::any() const {
  PruneRules off;
  off.frame_floor = frame_floor, off.cell_floor = cell_floor;
  return !(*this == off);
}

Status PruneRules::check() const {
  struct Bound {
    std::string_view name;
    double value, most;
  };
  for (const Bound& b :
       {Bound{"min_life", static_cast<double>(min_life), 1e5}, Bound{"max_typical_px", max_typical_px, 1e3}, Bound{"max_worst_px", max_worst_px, 1e3},
        Bound{"min_parallax_deg", min_parallax_deg, 90}, Bound{"max_depth_sigma_pc", max_depth_sigma_pc, 1e3}, Bound{"max_distance", max_distance, 1e6},
        Bound{"max_creep_px", max_creep_px, 1e3}, Bound{"max_shared_px", max_shared_px, 1e3}, Bound{"max_sighting_px", max_sighting_px, 1e3},
        Bound{"edge_px", edge_px, 1e4}, Bound{"frame_floor", static_cast<double>(frame_floor), 1e4},
        Bound{"cell_floor", static_cast<double>(cell_floor), 1e3}}) {
    if (!(b.value >= 0 && b.value <= b.most)) return invalidInput(fmt::format("The rule {} must be between 0 and {:g}, not {:g}.", b.name, b.most, b.value));
  }
  for (const PruneRegion& region : regions) {
    const bool sound = region.outline.size() > 2 && std::all_of(region.outline.begin(), region.outline.end(), [](const Vec2& p) { return p.allFinite(); });
    if (!sound) return invalidInput("A region needs three corners or more, each with two numbers.");
  }
  return Done{};
}

std::string_view describe(PruneRule rule) {
  constexpr std::array<std::string_view, static_cast<std::size_t>(PruneRule::Count)> kNames = {
      "life",  "typical error", "worst error", "parallax", "deviation of depth", "distance", "behind the camera", "slides", "goes with its neighbours",
      "region"};
  return kNames[static_cast<std::size_t>(rule)];
}

PruneChoice choosePruning(const Solution& solution, const TrackSet& tracks, const PruneRules& rules, const std::vector<int>& pinned) {
  return madeFrom(solution, tracks) ? choosePruning(solution, tracks, measureTracks(solution, tracks), rules, pinned) : PruneChoice();
}

PruneChoice choosePruning(const Solution& solution, const TrackSet& tracks, const std::vector<TrackMeasures>& measured, const PruneRules& rules,
                          const std::vector<int>& pinned) {
  PruneChoice choice;
  if (!madeFrom(solution, tracks)) return choice;
  Coverage coverage(solution, tracks, rules);
  const auto isPinned = [&](int id) { return std::binary_search(pinned.begin(), pinned.end(), id); };
  struct Candidate {
    std::size_t track;
    double over;
  };
  std::vector<Candidate> candidates;
  std::map<int, std::size_t> position;
  for (std::size_t t = 0; t < solution.tracks.size(); ++t) position[solution.tracks[t].id] = t;
  for (const TrackMeasures& m : measured) {
    const std::size_t t = position[m.id];
    if (solution.tracks[t].state != TrackState::Kept || isPinned(m.id)) continue;
    const auto limits = overLimits(m, tracks.tracks[t], rules);
    for (std::size_t r = 0; r < limits.size(); ++r) choice.by_rule[r] += limits[r] > 1;
    const double most = *std::max_element(limits.begin(), limits.end());
    if (most > 1) candidates.push_back({t, most});
  }
  // The worst first: where not all can go, they do.
  std::stable_sort(candidates.begin(), candidates.end(), [](const Candidate& a, const Candidate& b) { return a.over > b.over; });
  for (const Candidate& c : candidates) {
    const SolvedTrack& track = solution.tracks[c.track];
    bool spare = true;
    for (std::size_t i = 0; i < track.errors.size() && !track.holdout; ++i) spare = spare && (!track.errors[i].used || coverage.canSpare(c.track, i));
    (spare ? choice.tracks : choice.spared).push_back(track.id);
    for (std::size_t i = 0; i < track.errors.size() && spare && !track.holdout; ++i) {
      if (track.errors[i].used) coverage.take(c.track, i);
    }
  }
  std::sort(choice.tracks.begin(), choice.tracks.end());
  std::sort(choice.spared.begin(), choice.spared.end());
  for (std::size_t t = 0; t < solution.tracks.size() && (rules.max_sighting_px > 0 || rules.edge_px > 0); ++t) {
    const SolvedTrack& track = solution.tracks[t];
    const bool stays = track.state == TrackState::Kept && !std::binary_search(choice.tracks.begin(), choice.tracks.end(), track.id) && !isPinned(track.id);
    if (stays) chooseSightings(track, t, tracks, rules, coverage, choice);
  }
  const auto fewest = std::min_element(coverage.frames().begin(), coverage.frames().end(), [](const auto& a, const auto& b) { return a.second < b.second; });
  if (fewest != coverage.frames().end()) choice.fewest_frame = fewest->first, choice.fewest_tracks = fewest->second;
  return choice;
}

}  // namespace dusky
