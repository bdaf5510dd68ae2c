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

/// A plane that has too few left goes, and the angles that speak of it.
Knowledge renumbered(const Knowledge& knowledge, const Renumber& number) {
  Knowledge out;
  for (KnownPlane plane : knowledge.planes) {
    plane.tracks = renumbered(plane.tracks, number);
    if (plane.tracks.size() >= 3) out.planes.push_back(std::move(plane));
  }
  for (const KnownAngle& angle : knowledge.angles) {
    if (out.find(angle.a) && out.find(angle.b)) out.angles.push_back(angle);
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
  Picks out{
      picks.key, picks.frame_offset, renumbered(picks.set_aside, number), renumbered(picks.pinned, number), {}, {}, {}, renumbered(picks.knowledge, number)};
  const SceneSettings& scene = picks.scene;
  out.scene = {renumbered(scene.ground, number), std::nullopt, renumbered(scene.direction, number), renumbered(scene.length, number)};
  if (scene.origin) out.scene.origin = number(*scene.origin);
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
