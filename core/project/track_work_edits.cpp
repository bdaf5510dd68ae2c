#include <fmt/format.h>

#include <algorithm>
#include <limits>

#include "core/base/content_key.h"
#include "core/project/edits.h"

namespace dusky {
namespace {

using Ids = std::vector<int>;

std::string counted(std::string_view what, std::size_t count) { return fmt::format("{} {} {}", what, count, count == 1 ? "track" : "tracks"); }

std::unique_ptr<Edit> setWork(std::string name, TrackWork work) { return setMember(std::move(name), &Document::work, std::move(work)); }

/// The work with what speaks of these followed tracks alone.
TrackWork workOn(const Document& document, const std::string& followed_key) {
  TrackWork work = document.work;
  if (work.edited_key != followed_key) {
    work.edits.clear();
    std::erase_if(work.labels, [](const TrackLabel& label) { return !keepsItsNumber(label.track); });
  }
  work.edited_key = followed_key;
  return work;
}

HandTrack* handIn(TrackWork& work, int id) {
  const auto found = std::find_if(work.by_hand.begin(), work.by_hand.end(), [id](const HandTrack& track) { return track.id == id; });
  return found != work.by_hand.end() ? &*found : nullptr;
}

void put(TrackWork& work, HandTrack track) {
  if (HandTrack* same = handIn(work, track.id)) return void(*same = std::move(track));
  work.by_hand.push_back(std::move(track));
}

int nextHandId(const TrackWork& work) { return work.by_hand.empty() ? kFirstHandId : work.by_hand.back().id + 1; }

int nextImportedId(const TrackWork& work) {
  int id = kFirstImportedId;
  for (const ImportedTracks& import : work.imported) {
    if (import.tracks && !import.tracks->tracks.empty()) id = std::max(id, import.tracks->tracks.back().id + 1);
  }
  return id;
}

void removeImported(TrackWork& work, int id) {
  for (ImportedTracks& import : work.imported) {
    const auto place = std::lower_bound(import.removed.begin(), import.removed.end(), id);
    if (import.tracks && import.tracks->find(id) && !import.isRemoved(id)) import.removed.insert(place, id);
  }
}

/// The track by hand of this number; an imported one becomes a track by hand, which can be changed. nullptr: it is neither.
HandTrack* handOf(TrackWork& work, int id) {
  if (HandTrack* there = handIn(work, id)) return there;
  const ImportedTracks* import = work.importOf(id);
  const Track track = import ? import->track(id) : Track{};
  if (track.observations.empty()) return nullptr;
  HandTrack made{.id = nextHandId(work), .color = track.color, .start = track.start, .stop = track.stop};
  made.name = import->label.group + " " + std::to_string(id - import->tracks->tracks.front().id + 1);
  for (const Observation& o : track.observations) made.points.push_back({o.frame, o.position, true});
  removeImported(work, id);
  work.by_hand.push_back(std::move(made));
  return &work.by_hand.back();
}

int nextCutId(const TrackWork& work) {
  int id = kFirstCutId;
  for (const TrackEdit& edit : work.edits) {
    if (edit.kind == TrackEditKind::Cut) id = std::max(id, edit.other + 1);
  }
  return id;
}

TrackLabel& labelIn(TrackWork& work, int id) {
  const auto place = std::lower_bound(work.labels.begin(), work.labels.end(), id, [](const TrackLabel& label, int track) { return label.track < track; });
  if (place != work.labels.end() && place->track == id) return *place;
  return *work.labels.insert(place, {id, {}, {}});
}

}  // namespace

std::unique_ptr<Edit> addRun(const Document& document, ExtraRun run) {
  std::vector<ExtraRun> runs = document.extra_runs;
  runs.push_back(std::move(run));
  return setMember("Add tracks here", &Document::extra_runs, std::move(runs));
}

std::unique_ptr<Edit> removeExtraRuns() { return setMember("Remove added tracks", &Document::extra_runs, {}); }

HandTrack newHandTrack(const Document& document, const HandTrack& like) {
  HandTrack track{.id = nextHandId(document.work), .kind = like.kind, .pattern_px = like.pattern_px, .search_px = like.search_px};
  track.name = fmt::format("Hand {}", track.id - kFirstHandId + 1);
  return track;
}

std::unique_ptr<Edit> changeHandTrack(std::string name, const Document& document, HandTrack track) {
  TrackWork work = document.work;
  put(work, std::move(track));
  return setWork(std::move(name), std::move(work));
}

std::unique_ptr<Edit> importTracks(const Document& document, TrackSet tracks, std::string group) {
  TrackWork work = document.work;
  ImportedTracks import{
      .label = {0, {}, std::move(group)}, .key = {}, .frame_shift = 0, .removed = {}, .tracks = numberedFrom(std::move(tracks), nextImportedId(work))};
  KeyBuilder key;
  for (const Track& track : import.tracks->tracks) {
    key.add(track.id);
    for (const Observation& o : track.observations) key.add(o.frame).add(o.position.x()).add(o.position.y());
  }
  import.key = key.key();
  const auto count = import.tracks->tracks.size();
  work.imported.push_back(std::move(import));
  return setWork(counted("Import", count), std::move(work));
}

std::unique_ptr<Edit> removeTracks(const Document& document, const Ids& ids, const std::string& followed_key) {
  TrackWork work = workOn(document, followed_key);
  for (const int id : ids) {
    if (keepsItsNumber(id))
      std::erase_if(work.by_hand, [id](const HandTrack& t) { return t.id == id; }), removeImported(work, id);
    else
      work.edits.push_back({TrackEditKind::Remove, id});
  }
  return setWork(counted("Remove", ids.size()), std::move(work));
}

std::unique_ptr<Edit> removeFrames(const Document& document, const Ids& ids, int first, int last, const std::string& followed_key) {
  TrackWork work = workOn(document, followed_key);
  for (const int id : ids) {
    if (HandTrack* by_hand = handOf(work, id))
      by_hand->remove(first, last);
    else
      work.edits.push_back({TrackEditKind::RemovePart, id, 0, first, last});
  }
  std::erase_if(work.by_hand, [](const HandTrack& t) { return t.points.empty(); });
  return setWork(counted("Shorten", ids.size()), std::move(work));
}

std::unique_ptr<Edit> cutTracks(const Document& document, const Ids& ids, int frame, const std::string& followed_key) {
  TrackWork work = workOn(document, followed_key);
  for (const int id : ids) {
    HandTrack* by_hand = handOf(work, id);
    if (!by_hand) {
      work.edits.push_back({TrackEditKind::Cut, id, nextCutId(work), frame});
      continue;
    }
    HandTrack later = *by_hand;
    later.id = nextHandId(work);
    later.name += " b";
    later.remove(std::numeric_limits<int>::min(), frame - 1);
    by_hand->remove(frame, std::numeric_limits<int>::max());
    // A part without a key could not be followed any further.
    for (HandTrack* part : {by_hand, &later}) {
      const bool keyed = std::any_of(part->points.begin(), part->points.end(), [](const HandPoint& p) { return p.keyed; });
      if (!keyed && !part->points.empty()) part->points.front().keyed = true;
    }
    if (!later.points.empty()) work.by_hand.push_back(std::move(later));
  }
  std::erase_if(work.by_hand, [](const HandTrack& t) { return t.points.empty(); });
  return setWork(counted("Cut", ids.size()), std::move(work));
}

std::unique_ptr<Edit> joinTracks(const Document& document, int track, int other, const std::string& followed_key) {
  TrackWork work = workOn(document, followed_key);
  work.edits.push_back({TrackEditKind::Join, track, other});
  return setWork("Join tracks", std::move(work));
}

std::unique_ptr<Edit> nameTrack(const Document& document, int id, std::string name, const std::string& followed_key) {
  TrackWork work = workOn(document, followed_key);
  if (HandTrack* by_hand = handIn(work, id))
    by_hand->name = std::move(name);
  else
    labelIn(work, id).name = std::move(name);
  return setWork("Name track", std::move(work));
}

std::unique_ptr<Edit> groupTracks(const Document& document, const Ids& ids, const std::string& group, const std::string& followed_key) {
  TrackWork work = workOn(document, followed_key);
  for (const int id : ids) labelIn(work, id).group = group;
  return setWork(counted("Group", ids.size()), std::move(work));
}

}  // namespace dusky
