#include "core/track/same_tracks.h"

#include <algorithm>
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

struct Match {
  double apart;
  int id, other;
  bool operator<(const Match& m) const { return std::tie(apart, id, other) < std::tie(m.apart, m.id, m.other); }
};

}  // namespace

std::map<int, int> sameTracks(const TrackSet& from, const std::vector<int>& ids, const TrackSet& to, int later, double apart_px) {
  std::vector<Match> matches;
  for (const int id : ids) {
    const Track* track = from.find(id);
    if (!track) continue;
    for (const Track& other : to.tracks) {
      if (const auto apart = distanceOf(*track, other, later); apart && *apart <= apart_px) matches.push_back({*apart, id, other.id});
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
