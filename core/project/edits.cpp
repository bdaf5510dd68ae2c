#include "core/project/edits.h"

#include <fmt/format.h>

#include <algorithm>
#include <functional>

#include "core/knowledge/known_scalars.h"
#include "core/knowledge/statements.h"

namespace dusky {
namespace {

using Ids = std::vector<int>;

Ids sorted(Ids ids) {
  std::sort(ids.begin(), ids.end());
  ids.erase(std::unique(ids.begin(), ids.end()), ids.end());
  return ids;
}

Ids with(const Ids& before, const Ids& more) {
  Ids all = before;
  all.insert(all.end(), more.begin(), more.end());
  return sorted(std::move(all));
}

Ids without(const Ids& before, const Ids& fewer) {
  const Ids gone = sorted(fewer);
  Ids left;
  std::set_difference(before.begin(), before.end(), gone.begin(), gone.end(), std::back_inserter(left));
  return left;
}

std::string counted(std::string_view what, std::size_t count) { return fmt::format("{} {} {}", what, count, count == 1 ? "track" : "tracks"); }

/// Picks always change as a whole, together with the tracks that they speak of.
std::unique_ptr<Edit> changePicks(std::string name, const Document& document, const std::function<void(Picks&)>& change) {
  Picks picks = document.picks;
  change(picks);
  return setMember(std::move(name), &Document::picks, std::move(picks));
}
int nextObject(const Picks& picks) {
  int next = 1;
  for (const TestObject& object : picks.objects) next = std::max(next, object.id + 1);
  return next;
}

}  // namespace

std::unique_ptr<Edit> setAside(const Document& document, const Ids& ids) {
  const Ids free = without(sorted(ids), document.picks.pinned);
  return changePicks(counted("Set aside", free.size()), document, [&](Picks& picks) { picks.set_aside = with(picks.set_aside, free); });
}

std::unique_ptr<Edit> bringBack(const Document& document, const Ids& ids) {
  return changePicks(counted("Bring back", ids.size()), document, [&](Picks& picks) { picks.set_aside = without(picks.set_aside, ids); });
}

std::unique_ptr<Edit> setAsideChosen(const Document& document, const PruneChoice& choice) {
  const Ids free = without(choice.tracks, document.picks.pinned);
  const std::string name = free.empty() ? fmt::format("Set aside {} sightings", choice.sightings.size()) : counted("Set aside", free.size());
  return changePicks(name, document, [&](Picks& picks) {
    picks.set_aside = with(picks.set_aside, free);
    picks.dropped.insert(picks.dropped.end(), choice.sightings.begin(), choice.sightings.end());
    std::sort(picks.dropped.begin(), picks.dropped.end());
    picks.dropped.erase(std::unique(picks.dropped.begin(), picks.dropped.end()), picks.dropped.end());
  });
}

std::unique_ptr<Edit> bringSightingsBack(const Document& document) {
  return changePicks("Bring sightings back", document, [](Picks& picks) { picks.dropped.clear(); });
}

std::unique_ptr<Edit> pinTracks(const Document& document, const Ids& ids, bool pinned) {
  return changePicks(counted(pinned ? "Pin" : "Unpin", ids.size()), document,
                     [&](Picks& picks) { picks.pinned = pinned ? with(picks.pinned, ids) : without(picks.pinned, ids); });
}

std::unique_ptr<Edit> weighTracks(const Document& document, const Ids& ids, double weight) {
  const std::string name = fmt::format("{} {}, weight {:.3g}", ids.size(), ids.size() == 1 ? "track" : "tracks", weight);
  return changePicks(name, document, [&, these = sorted(ids)](Picks& picks) {
    std::erase_if(picks.weights, [&](const TrackWeight& one) { return std::binary_search(these.begin(), these.end(), one.track); });
    if (weight == 1) return;
    for (const int id : these) picks.weights.push_back({id, weight});
    std::ranges::sort(picks.weights, {}, &TrackWeight::track);
  });
}

std::unique_ptr<Edit> changeScene(std::string name, const Document& document, SceneSettings scene) {
  return changePicks(std::move(name), document, [&](Picks& picks) { picks.scene = std::move(scene); });
}

std::unique_ptr<Edit> useAsGround(const Document& document, Ids ids) {
  return changePicks("Use as ground", document, [&](Picks& picks) { picks.scene.ground = sorted(std::move(ids)); });
}

std::unique_ptr<Edit> useAsOrigin(const Document& document, int id) {
  return changePicks("Use as origin", document, [&](Picks& picks) { picks.scene.origin = id; });
}

std::unique_ptr<Edit> useAsDirection(const Document& document, int from, int to) {
  return changePicks("Use as direction", document, [&](Picks& picks) { picks.scene.direction = KnownDirection{from, to}; });
}

std::unique_ptr<Edit> useAsLength(const Document& document, int from, int to, double metres) {
  return changePicks("Use as length", document, [&](Picks& picks) { picks.scene.length = KnownLength{from, to, metres}; });
}

std::unique_ptr<Edit> placeObjects(const Document& document, ObjectShape shape, const Ids& tracks, double size) {
  return changePicks("Place test object", document, [&](Picks& picks) {
    for (const int track : tracks) picks.objects.push_back({.id = nextObject(picks), .shape = shape, .track = track, .size = size});
  });
}

std::unique_ptr<Edit> placeOnPlane(const Document& document, ObjectShape shape, const Ids& tracks, double size) {
  return changePicks("Place test object", document, [&](Picks& picks) {
    picks.objects.push_back({.id = nextObject(picks), .shape = shape, .track = tracks.front(), .size = size, .plane = tracks});
  });
}

std::unique_ptr<Edit> changeObject(const Document& document, const TestObject& object) {
  return changePicks("Change test object", document, [&](Picks& picks) {
    for (TestObject& one : picks.objects) {
      if (one.id == object.id) one = object;
    }
  });
}

std::unique_ptr<Edit> removeObject(const Document& document, int id) {
  return changePicks("Remove test object", document, [id](Picks& picks) { std::erase_if(picks.objects, [id](const TestObject& o) { return o.id == id; }); });
}

std::unique_ptr<Edit> changeKnowledge(std::string name, const Document& document, Knowledge knowledge) {
  return changePicks(std::move(name), document, [&knowledge](Picks& picks) { picks.knowledge = std::move(knowledge); });
}

std::unique_ptr<Edit> addKnownSet(const Document& document, SetKind kind, SetFacing facing, std::vector<int> tracks) {
  Knowledge knowledge = document.picks.knowledge;
  std::sort(tracks.begin(), tracks.end());
  KnownSet set{.name = freeName(knowledge, kind), .kind = kind, .tracks = std::move(tracks), .facing = facing};
  knowledge.sets.push_back(std::move(set));
  return changeKnowledge(kind == SetKind::Line ? "Make straight" : "Make flat", document, std::move(knowledge));
}

std::unique_ptr<Edit> addKnownDistance(const Document& document, int from, int to, double metres) {
  Knowledge knowledge = document.picks.knowledge;
  std::erase_if(knowledge.distances, [&](const KnownDistance& d) { return std::minmax(d.from, d.to) == std::minmax(from, to); });
  knowledge.distances.push_back({.from = from, .to = to, .metres = metres});
  return changeKnowledge("Add known distance", document, std::move(knowledge));
}

/// The first with the second, the third with the fourth ...
static std::vector<TrackPair> pairsOf(const Ids& tracks) {
  std::vector<TrackPair> pairs;
  for (std::size_t i = 0; i + 1 < tracks.size(); i += 2) pairs.push_back({tracks[i], tracks[i + 1]});
  return pairs;
}

std::unique_ptr<Edit> addEqualDistances(const Document& document, const std::vector<int>& tracks) {
  Knowledge knowledge = document.picks.knowledge;
  knowledge.equals.push_back({.pairs = pairsOf(tracks)});
  return changeKnowledge("Add equal distances", document, std::move(knowledge));
}

std::unique_ptr<Edit> addMirroredPairs(const Document& document, const std::vector<int>& tracks) {
  Knowledge knowledge = document.picks.knowledge;
  knowledge.mirrors.push_back({.pairs = pairsOf(tracks)});
  return changeKnowledge("Add mirrored pairs", document, std::move(knowledge));
}

std::unique_ptr<Edit> useKnowledge(const Document& document, const FoundKnowledge& found) {
  return changePicks("Use knowledge of the set", document, [&found](Picks& picks) {
    picks.knowledge = found.knowledge;
    if (!found.scene.ground.empty()) picks.scene.ground = found.scene.ground;
    if (found.scene.origin) picks.scene.origin = found.scene.origin;
    if (found.scene.direction) picks.scene.direction = found.scene.direction;
    if (found.scene.length) picks.scene.length = found.scene.length;
    if (found.scene.height) picks.scene.height = found.scene.height;
    if (found.move) picks.scene.move = *found.move;
    if (found.up) picks.scene.up = *found.up;
  });
}

std::unique_ptr<Edit> removeObjects(const Document& document) {
  return changePicks("Remove test objects", document, [](Picks& picks) { picks.objects.clear(); });
}

Mask newMask(const Document& document, MaskShape shape) {
  Mask mask{.id = 1, .shape = shape};
  for (const Mask& other : document.masks.shapes) mask.id = std::max(mask.id, other.id + 1);
  mask.name = fmt::format("{} {}", shape == MaskShape::Ellipse ? "Ellipse" : shape == MaskShape::Box ? "Box" : "Curve", mask.id);
  return mask;
}

std::unique_ptr<Edit> changeMask(std::string name, const Document& document, Mask mask) {
  MaskSettings masks = document.masks;
  const auto same = std::find_if(masks.shapes.begin(), masks.shapes.end(), [&](const Mask& m) { return m.id == mask.id; });
  if (same != masks.shapes.end())
    *same = std::move(mask);
  else
    masks.shapes.push_back(std::move(mask));
  return setMember(std::move(name), &Document::masks, std::move(masks));
}

std::unique_ptr<Edit> removeMask(const Document& document, int id) {
  MaskSettings masks = document.masks;
  std::erase_if(masks.shapes, [id](const Mask& m) { return m.id == id; });
  return setMember("Remove mask", &Document::masks, std::move(masks));
}

namespace {

/// Several members at once.
class SetDocument final : public Edit {
 public:
  SetDocument(std::string name, Document document) : Edit(std::move(name)), document_(std::move(document)) {}
  void apply(Document& document) override { std::swap(document, document_); }
  void revert(Document& document) override { std::swap(document, document_); }

 private:
  Document document_;  ///< The other state: new before apply, old after it.
};
}  // namespace

static std::unique_ptr<Edit> changeLedger(std::string name, LedgerMarks marks) { return setMember(std::move(name), &Document::ledger, std::move(marks)); }

std::unique_ptr<Edit> nameRun(const Document& document, int run, std::string name) {
  LedgerMarks marks = document.ledger;
  if (name.empty() || name == LedgerMarks().nameOf(run))
    marks.names.erase(run);
  else
    marks.names[run] = std::move(name);
  return changeLedger("Name run", std::move(marks));
}

std::unique_ptr<Edit> keepRuns(const Document& document, const std::vector<int>& runs, bool kept) {
  LedgerMarks marks = document.ledger;
  marks.kept = kept ? with(marks.kept, runs) : without(marks.kept, runs);
  return changeLedger(kept ? "Keep runs" : "Do not keep runs", std::move(marks));
}

std::unique_ptr<Edit> dropRuns(const Document& document, const std::vector<int>& runs) {
  LedgerMarks marks = document.ledger;
  marks.dropped = with(marks.dropped, runs);
  return changeLedger(runs.size() == 1 ? "Drop run" : "Drop runs", std::move(marks));
}

std::unique_ptr<Edit> replaceDocument(std::string name, Document document) { return std::make_unique<SetDocument>(std::move(name), std::move(document)); }

std::unique_ptr<Edit> takeValues(const Document& document, const FootageInfo& footage, const std::vector<std::pair<std::string, double>>& values) {
  LensSettings lens = document.lens;
  Knowledge knowledge = document.picks.knowledge;
  for (const auto& [parameter, value] : values) {
    if (isKnownScalar(parameter)) {
      takeScalar(knowledge, parameter, value);
    } else if (parameter == "focal_px") {
      lens.focal = FocalKnowledge::Locked;
      lens.focal_mm = value * lens.sensor_mm / std::max(1, footage.width);
    } else if (parameter == "readout_ms") {
      lens.readout_ms = value;
      lens.free_readout = false;
    } else {
      lens.values[parameter] = {value, 0};
    }
  }
  const std::string name = values.size() > 1 ? "Take both values" : "Take a value";
  if (knowledge == document.picks.knowledge) return setMember<LensSettings>(name, &Document::lens, std::move(lens));
  Document changed = document;
  changed.lens = std::move(lens), changed.picks.knowledge = std::move(knowledge);
  return replaceDocument(name, std::move(changed));
}

std::unique_ptr<Edit> knowValue(const Document& document, const std::string& parameter, std::optional<KnownValue> known) {
  LensSettings lens = document.lens;
  if (known)
    lens.values[parameter] = *known;
  else
    lens.values.erase(parameter);
  return setMember<LensSettings>(known ? "Know a lens value" : "Forget a lens value", &Document::lens, std::move(lens));
}

std::unique_ptr<Edit> changeFrameOffset(const Document& document, int offset) {
  Document d = document;
  const int by = offset - d.footage.frame_offset;
  const auto move = [by](int& frame) { frame += by; };
  const auto moveRange = [by](int& first, int& last) {
    if (first != 0 || last != 0) first += by, last += by;
  };
  d.footage.frame_offset = offset;
  moveRange(d.tracking.first_frame, d.tracking.last_frame);
  std::for_each(d.footage.left_out.begin(), d.footage.left_out.end(), move);
  for (Mask& mask : d.masks.shapes) {
    for (FrameRange& range : mask.ranges) move(range.first), move(range.last);
    for (MaskKey& key : mask.keys) move(key.frame);
  }
  for (ExtraRun& run : d.extra_runs) moveRange(run.first_frame, run.last_frame);
  for (ImportedTracks& import : d.work.imported) import.frame_shift += by;
  for (HandTrack& track : d.work.by_hand) {
    for (HandPoint& point : track.points) move(point.frame);
  }
  for (TrackFrame& sighting : d.picks.dropped) move(sighting.frame);
  for (PruneRegion& region : d.prune.regions) move(region.frame);
  return std::make_unique<SetDocument>("Change frame numbers", std::move(d));
}

std::unique_ptr<Edit> leaveOutFrames(const Document& document, Ids frames) {
  FootageSettings footage = document.footage;
  const std::string name = fmt::format("Leave out {} {}", frames.size(), frames.size() == 1 ? "frame" : "frames");
  footage.left_out = with(footage.left_out, frames);
  return setMember(name, &Document::footage, std::move(footage));
}

std::unique_ptr<Edit> useAllFrames(const Document& document) {
  FootageSettings footage = document.footage;
  footage.left_out.clear();
  return setMember("Use all frames", &Document::footage, std::move(footage));
}
}  // namespace dusky
