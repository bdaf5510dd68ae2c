#include "core/track/same_tracks.h"

#include <algorithm>
#include <cmath>
#include <compare>
#include <optional>
#include <set>
#include <tuple>

namespace dusky {
namespace {

/// Mean distance in shared frames; nothing when they share too few. Frames of b are numbered higher by `later`.
std::optional<double> distanceOf(const Track& a, const Track& b, int later) {
  if (a.firstFrame() + later > b.lastFrame() || b.firstFrame() > a.lastFrame() + later) return std::nullopt;
  double sum = 0;
  int shared = 0;
  for (const Observation& o : a.observations) {
    const Observation* other = b.at(o.frame + later);
    if (!other) continue;
    sum += (o.position - other->position).norm();
    ++shared;
  }
  return shared > 0 && 3 * shared >= std::min(a.life(), b.life()) ? std::optional(sum / shared) : std::nullopt;
}

/// Where the sightings of a set are, so that those near a place of a frame are found at once.
class NearbyTracks {
 public:
  NearbyTracks(const TrackSet& set, double reach_px) : reach_px_(reach_px) {
    for (std::size_t i = 0; i < set.tracks.size(); ++i) {
      for (const Observation& o : set.tracks[i].observations) seen_.push_back({placeOf(o.frame, o.position), i});
    }
    std::sort(seen_.begin(), seen_.end());
  }

  /// Indices of all tracks that somewhere come within the reach of this one, ascending; some others among them.
  std::vector<std::size_t> near(const Track& track, int later) const {
    std::vector<std::size_t> found;
    for (const Observation& o : track.observations) {
      const Place at = placeOf(o.frame + later, o.position);
      for (int row = -1; row <= 1; ++row) {
        const Place from{at.frame, at.row + row, at.column - 1}, to{at.frame, at.row + row, at.column + 1};
        for (auto s = std::lower_bound(seen_.begin(), seen_.end(), Sighting{from, 0}); s != seen_.end() && s->place <= to; ++s) found.push_back(s->track);
      }
    }
    std::sort(found.begin(), found.end());
    found.erase(std::unique(found.begin(), found.end()), found.end());
    return found;
  }

 private:
  struct Place {
    int frame, row, column;
    auto operator<=>(const Place&) const = default;
  };
  struct Sighting {
    Place place;
    std::size_t track;
    auto operator<=>(const Sighting&) const = default;
  };
  Place placeOf(int frame, const Vec2& p) const {
    return {frame, static_cast<int>(std::floor(p.y() / reach_px_)), static_cast<int>(std::floor(p.x() / reach_px_))};
  }

  double reach_px_;
  std::vector<Sighting> seen_;
};

struct Match {
  double apart;
  int id, other;
  bool operator<(const Match& m) const { return std::tie(apart, id, other) < std::tie(m.apart, m.id, m.other); }
};

}  // namespace

std::map<int, int> sameTracks(const TrackSet& from, const std::vector<int>& ids, const TrackSet& to, int later, double apart_px) {
  std::vector<Match> matches;
  const auto compare = [&](const Track& track, const Track& other) {
    if (const auto apart = distanceOf(track, other, later); apart && *apart <= apart_px) matches.push_back({*apart, track.id, other.id});
  };
  constexpr std::size_t kFew = 16;
  std::optional<NearbyTracks> nearby;
  if (ids.size() > kFew) nearby.emplace(to, apart_px);
  for (const int id : ids) {
    const Track* track = from.find(id);
    if (!track) continue;
    if (nearby) {
      // Two that are that close on average are so in one frame at least.
      for (const std::size_t i : nearby->near(*track, later)) compare(*track, to.tracks[i]);
    } else {
      for (const Track& other : to.tracks) compare(*track, other);
    }
  }
  std::sort(matches.begin(), matches.end());
  std::map<int, int> same;
  std::set<int> taken;
  for (const Match& m : matches) {
    if (!same.contains(m.id) && taken.insert(m.other).second) same[m.id] = m.other;
  }
  return same;
}

}  // namespace dusky
