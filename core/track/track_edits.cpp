#include "core/track/track_edits.h"

#include <fmt/format.h>

#include <algorithm>
#include <map>

namespace dusky {
namespace {

using Tracks = std::map<int, Track>;

template <class Items, class Id>
auto* findBy(const Items& items, int id, Id which) {
  const auto found = std::lower_bound(items.begin(), items.end(), id, [which](const auto& item, int wanted) { return item.*which < wanted; });
  return found != items.end() && (*found).*which == id ? &*found : nullptr;
}

void keep(Tracks& tracks, int id, const auto& wanted) {
  Track& track = tracks.at(id);
  std::erase_if(track.observations, [&](const Observation& o) { return !wanted(o.frame); });
  if (track.observations.empty()) tracks.erase(id);
}

void cut(Tracks& tracks, const TrackEdit& edit) {
  Track later = tracks.at(edit.track);
  if (edit.first <= later.firstFrame() || edit.first > later.lastFrame() || tracks.count(edit.other)) return;
  later.id = edit.other;
  later.kind = TrackKind::CutOff;
  later.born_frame = std::max(later.born(), edit.first);
  tracks[edit.other] = later;
  keep(tracks, edit.other, [&](int frame) { return frame >= edit.first; });
  keep(tracks, edit.track, [&](int frame) { return frame < edit.first; });
}

/// Where both have a place, the one that the joined track had before stands.
void join(Tracks& tracks, const TrackEdit& edit) {
  const auto other = tracks.find(edit.other);
  if (other == tracks.end() || edit.other == edit.track) return;
  Track& track = tracks.at(edit.track);
  if (other->second.lastFrame() > track.lastFrame()) track.stop = other->second.stop;
  if (other->second.firstFrame() < track.firstFrame()) track.start = other->second.start;
  std::vector<Observation> both;
  const auto earlier = [](const Observation& a, const Observation& b) { return a.frame < b.frame; };
  const auto& mine = track.observations;
  std::set_union(mine.begin(), mine.end(), other->second.observations.begin(), other->second.observations.end(), std::back_inserter(both), earlier);
  track.observations = std::move(both);
  tracks.erase(other);
}

void apply(Tracks& tracks, const TrackEdit& edit) {
  if (!tracks.count(edit.track)) return;
  switch (edit.kind) {
    case TrackEditKind::Remove: tracks.erase(edit.track); break;
    case TrackEditKind::RemovePart: keep(tracks, edit.track, [&](int frame) { return frame < edit.first || frame > edit.last; }); break;
    case TrackEditKind::Cut: cut(tracks, edit); break;
    case TrackEditKind::Join: join(tracks, edit); break;
  }
}

}  // namespace

const HandTrack* TrackWork::find(int id) const { return findBy(by_hand, id, &HandTrack::id); }
const ImportedTracks* TrackWork::importOf(int id) const {
  const auto holds = [id](const ImportedTracks& import) { return import.tracks && import.tracks->find(id); };
  const auto found = std::find_if(imported.begin(), imported.end(), holds);
  return found != imported.end() ? &*found : nullptr;
}

Track ImportedTracks::track(int id) const {
  const Track* found = tracks && !isRemoved(id) ? tracks->find(id) : nullptr;
  if (!found) return {};
  Track shifted = *found;
  if (shifted.born_frame != kFromFirst) shifted.born_frame += frame_shift;
  for (Observation& o : shifted.observations) o.frame += frame_shift;
  return shifted;
}

TrackSetPtr numberedFrom(TrackSet tracks, int first) {
  for (Track& track : tracks.tracks) track.id = first++, track.kind = TrackKind::Imported;
  return std::make_shared<TrackSet>(std::move(tracks));
}

const TrackLabel* TrackWork::labelOf(int id) const { return findBy(labels, id, &TrackLabel::track); }

TrackSetPtr applyTrackWork(const TrackSet& followed, const TrackWork& work, bool with_edits) {
  auto made = std::make_shared<TrackSet>(followed);
  if (with_edits && !work.edits.empty()) {
    Tracks tracks;
    for (Track& track : made->tracks) tracks[track.id] = std::move(track);
    for (const TrackEdit& edit : work.edits) apply(tracks, edit);
    made->tracks.clear();
    for (auto& [id, track] : tracks) made->tracks.push_back(std::move(track));
  }
  const auto add = [&](Track track) {
    std::erase_if(track.observations, [&](const Observation& o) { return followed.indexOf(o.frame) < 0; });
    if (!track.observations.empty()) made->tracks.push_back(std::move(track));
  };
  for (const HandTrack& by_hand : work.by_hand) add(by_hand.track());
  for (const ImportedTracks& import : work.imported) {
    if (!import.tracks) continue;
    for (const Track& track : import.tracks->tracks) add(import.track(track.id));
  }
  return made;
}

Status canJoin(const Track& a, const Track& b, double apart_px) {
  for (const Observation& o : a.observations) {
    const Observation* other = b.at(o.frame);
    if (!other || (other->position - o.position).norm() <= apart_px) continue;
    return invalidInput(fmt::format("Tracks {} and {} are {:.1f} px apart in frame {}: they follow different things and cannot become one.", a.id, b.id,
                                    (other->position - o.position).norm(), o.frame));
  }
  return Done{};
}

}  // namespace dusky
