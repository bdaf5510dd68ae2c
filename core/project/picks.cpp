#include "core/project/picks.h"

#include <algorithm>

namespace dusky {
namespace {

using Renumber = std::function<std::optional<int>(int)>;

void sortOut(std::vector<int>& ids) {
  std::sort(ids.begin(), ids.end());
  ids.erase(std::unique(ids.begin(), ids.end()), ids.end());
}

std::vector<int> renumbered(const std::vector<int>& ids, const Renumber& number) {
  std::vector<int> out;
  for (const int id : ids) {
    if (const auto now = number(id)) out.push_back(*now);
  }
  sortOut(out);
  return out;
}

/// A pick between two tracks.
template <class Pair>
std::optional<Pair> renumbered(std::optional<Pair> pair, const Renumber& number) {
  if (!pair) return pair;
  const auto from = number(pair->from), to = number(pair->to);
  if (!from || !to) return std::nullopt;
  pair->from = *from, pair->to = *to;
  return pair;
}

std::vector<TrackPair> renumbered(const std::vector<TrackPair>& pairs, const Renumber& number) {
  std::vector<TrackPair> out;
  for (const TrackPair& pair : pairs) {
    const auto now = renumbered(std::optional(pair), number);
    if (now && now->from != now->to) out.push_back(*now);
  }
  return out;
}

/// A set that has too few left goes, and what speaks of it.
Knowledge renumbered(const Knowledge& knowledge, const Renumber& number) {
  Knowledge out;
  out.camera = knowledge.camera;
  for (KnownSet set : knowledge.sets) {
    set.tracks = renumbered(set.tracks, number);
    if (set.tracks.size() >= set.leastTracks()) out.sets.push_back(std::move(set));
  }
  for (const KnownRelation& relation : knowledge.relations) {
    if (out.find(relation.a) && out.find(relation.b)) out.relations.push_back(relation);
  }
  for (const KnownDistance& distance : knowledge.distances) {
    if (const auto now = renumbered(std::optional(distance), number)) out.distances.push_back(*now);
  }
  for (KnownPlaneDistance distance : knowledge.plane_distances) {
    const auto track = number(distance.track);
    if (!track || !out.find(distance.plane)) continue;
    distance.track = *track;
    out.plane_distances.push_back(std::move(distance));
  }
  for (KnownEqual equal : knowledge.equals) {
    equal.pairs = renumbered(equal.pairs, number);
    if (equal.pairs.size() >= 2) out.equals.push_back(std::move(equal));
  }
  for (KnownMirror mirror : knowledge.mirrors) {
    mirror.pairs = renumbered(mirror.pairs, number);
    const bool stands = mirror.plane.empty() || out.find(mirror.plane);
    if (stands && mirror.pairs.size() >= mirror.leastPairs()) out.mirrors.push_back(std::move(mirror));
  }
  for (SurveyPoint point : knowledge.survey) {
    const auto track = number(point.track);
    if (!track) continue;
    point.track = *track;
    out.survey.push_back(std::move(point));
  }
  return out;
}

}  // namespace

std::vector<int> Picks::tracks() const {
  std::vector<int> ids;
  (void)dusky::renumbered(*this, [&ids](int id) {
    ids.push_back(id);
    return std::optional(id);
  });
  sortOut(ids);
  return ids;
}

Picks renumbered(const Picks& picks, const Renumber& number) {
  Picks out{.key = picks.key,
            .frame_offset = picks.frame_offset,
            .set_aside = renumbered(picks.set_aside, number),
            .pinned = renumbered(picks.pinned, number),
            .knowledge = renumbered(picks.knowledge, number)};
  const SceneSettings& scene = picks.scene;
  out.scene = scene;  // but for its tracks
  out.scene.ground = renumbered(scene.ground, number), out.scene.direction = renumbered(scene.direction, number);
  out.scene.length = renumbered(scene.length, number);
  if (scene.origin) out.scene.origin = number(*scene.origin);
  for (const TrackWeight& one : picks.weights) {
    if (const auto now = number(one.track)) out.weights.push_back({*now, one.weight});
  }
  std::ranges::sort(out.weights, {}, &TrackWeight::track);
  for (const TrackFrame& sighting : picks.dropped) {
    if (const auto now = number(sighting.track)) out.dropped.push_back({*now, sighting.frame});
  }
  std::sort(out.dropped.begin(), out.dropped.end());
  for (TestObject object : picks.objects) {
    const auto now = number(object.track);
    if (!now) continue;
    object.track = *now;
    object.plane = renumbered(object.plane, number);
    out.objects.push_back(object);
  }
  return out;
}

}  // namespace dusky
