#include "core/pipeline/steps.h"
#include "core/track/large_pictures.h"
#include "core/track/same_tracks.h"
#include "core/track/track_files.h"

namespace dusky {
namespace {

FollowScope scopeOf(const Document& document) { return {.step = document.footage.step, .left_out = document.footage.left_out}; }

/// Footage and masks as one run needs them.
struct Opened {
  std::unique_ptr<FrameSource> source;
  std::unique_ptr<MaskSet> masks;
  FollowScope scope;
};

Result<Opened> openFor(const Document& document) {
  auto source = openFootageOf(document);
  if (!source.ok()) return source.error();
  Opened opened{std::move(*source), nullptr, scopeOf(document)};
  if (!document.masks.any()) return opened;
  const auto frames = framesToFollow(opened.source->info(), document.tracking, opened.scope);
  if (!frames.ok()) return frames.error();
  auto made = makeMasks(document.masks, opened.source->info(), document.footage.frame_offset, *frames);
  if (!made.ok()) return made.error();
  opened.masks = std::move(*made);
  opened.scope.masks = opened.masks.get();
  return opened;
}

/// Tracks that come without footage: what the file holds, as far as it lies within the document's range.
Result<TrackSetPtr> tracksOfFile(const Document& document) {
  auto read = readTrackFile(document.footage_path, document.footage.width, document.footage.height);
  if (!read.ok()) return read.error();
  const FootageInfo info = seenAs(infoOfTracks(*read, document.footage_path), shotViewOf(document));
  for (Track& track : read->tracks) {
    if (track.born_frame != kFromFirst) track.born_frame += document.footage.frame_offset;
    for (Observation& o : track.observations) o.frame += document.footage.frame_offset;
  }
  for (int& frame : read->used_frames) frame += document.footage.frame_offset;
  const auto frames = framesToFollow(info, document.tracking, scopeOf(document));
  if (!frames.ok()) return frames.error();
  const auto unwanted = [&](int frame) { return !std::binary_search(frames->begin(), frames->end(), frame); };
  for (Track& track : read->tracks) std::erase_if(track.observations, [&](const Observation& o) { return unwanted(o.frame); });
  std::erase_if(read->tracks, [](const Track& track) { return track.observations.empty(); });
  read->first_frame = frames->front(), read->last_frame = frames->back(), read->used_frames = *frames;
  return std::make_shared<const TrackSet>(std::move(*read));
}

/// The options of a run and where it looks: the first one everywhere, an added one where the artist said.
FollowOptions optionsOf(const Document& document, int run, FollowScope& scope) {
  FollowOptions options = document.tracking;
  if (run == 0) return options;
  const ExtraRun& extra = document.extra_runs[static_cast<std::size_t>(run - 1)];
  options.features = std::clamp(static_cast<int>(options.features * extra.density), 20, 20000);
  options.min_strength *= extra.strength_share;
  scope.region = extra.region;
  scope.births = {extra.first_frame, extra.last_frame};
  return options;
}
}  // namespace

Result<TrackSetPtr> runTracks(const Document& document, const Progress& progress, const std::function<void(TrackSetPtr)>& on_partial,
                              const TracksStart& start) {
  if (isTrackFile(document.footage_path)) return tracksOfFile(document);
  auto opened = openFor(document);
  if (!opened.ok()) return opened.error();
  TrackSetPtr tracks = start.tracks;
  const int all = runsOf(document), first = tracks ? start.runs : 0;
  for (int run = first; run < all; ++run) {
    FollowScope scope = opened->scope;
    const FollowOptions options = optionsOf(document, run, scope);
    scope.existing = tracks.get();
    const double share = 1.0 / (all - first);
    auto more = followFeatures(*opened->source, options, progress.part(share * (run - first), share * (run - first + 1)), scope, on_partial);
    if (!more.ok()) return more;
    if ((*more)->summary.termination == Termination::Cancelled) return cancelled();
    tracks = *more;
  }
  if (tracks && tracks->tracks.empty() && opened->masks) {
    return cannotSolve("Nothing can be tracked: what the masks leave of the picture holds no texture, or they leave nothing. Look at the masks' preview.");
  }
  return tracks;
}

TrackSetPtr withHandWork(const TrackSetPtr& followed, const std::string& key, const Document& document, const FootageInfo& footage) {
  const TrackWork& work = document.work;
  if (followed) {
    const bool ours = !work.edits.empty() && work.edited_key == key;
    return ours || work.addsTracks() ? applyTrackWork(*followed, work, ours) : followed;
  }
  if (!work.addsTracks()) return nullptr;
  const auto frames = framesToFollow(footage, document.tracking, scopeOf(document));
  if (!frames.ok()) return nullptr;
  TrackSet none{.width = footage.width, .height = footage.height, .first_frame = frames->front(), .last_frame = frames->back(), .used_frames = *frames};
  return applyTrackWork(none, work, false);
}

/// What picks say of frames, once these have other numbers.
static void shiftFrames(Picks& picks, int by) {
  for (TrackFrame& sighting : picks.dropped) sighting.frame += by;
  for (KnownCamera& camera : picks.knowledge.camera) camera.first += by, camera.last += by;
  if (picks.scene.height) picks.scene.height->frame += by;
}

Picks PicksOnTracks::carriedTo(const TrackSet& to, const std::string& key, int frame_offset, int* lost) const {
  Picks carried = picks;
  const std::vector<int> ids = picks.tracks();
  if (!picks.key.empty() && picks.key != key && !ids.empty()) {
    const std::map<int, int> same = tracks ? sameTracks(*tracks, ids, to, frame_offset - picks.frame_offset) : std::map<int, int>();
    const auto number = [&](int id) -> std::optional<int> {
      if (keepsItsNumber(id)) return id;
      const auto found = same.find(id);
      return found != same.end() ? std::optional(found->second) : std::nullopt;
    };
    carried = renumbered(picks, number);
    if (lost) *lost = static_cast<int>(std::count_if(ids.begin(), ids.end(), [&](int id) { return !number(id); }));
  }
  shiftFrames(carried, frame_offset - picks.frame_offset);
  carried.key = key, carried.frame_offset = frame_offset;
  return carried;
}

Result<std::vector<Feature>> findCandidates(FrameSource& source, LiveMasks& masks, const Document& document, int frame) {
  auto read = source.read(frame, FrameUse::Tracking);
  if (!read.ok()) return read.error();
  LeftOut left_out;
  const auto set = masks.of(document.masks, source.info(), document.footage.frame_offset);
  if (!set.ok()) return set.error();
  if (*set) {
    auto out = (*set)->leftOut(frame);
    if (!out.ok()) return out.error();
    left_out = std::move(*out);
  }
  const int times = trackedReduction(source.info().width);
  if (times == 1) return candidatesIn(preparedPyramid(read->luma), document.tracking, left_out);
  auto features = candidatesIn(preparedPyramid(reduced(std::move(read->luma), times)), document.tracking, {});
  for (Feature& feature : features) feature.position *= times;
  std::erase_if(features, [&](const Feature& feature) { return leftOutShare(left_out, feature.position, times * document.tracking.patch_radius) > 0; });
  return features;
}

Result<HandTrack> runHandTrack(const Document& document, const HandTrack& track, const HandOptions& options, const Progress& progress, std::string* note) {
  auto opened = openFor(document);
  if (!opened.ok()) return opened.error();
  const auto frames = framesToFollow(opened->source->info(), document.tracking, opened->scope);
  if (!frames.ok()) return frames.error();
  HandOptions masked = options;
  masked.masks = opened->masks.get();
  return followByHand(*opened->source, *frames, track, masked, progress, note);
}

Result<HandTrack> placeKey(const Document& document, HandTrack track, int frame, const Vec2& pointed, bool snap) {
  auto source = openFootageOf(document);
  if (!source.ok()) return source.error();
  auto read = (*source)->read(frame);
  if (!read.ok()) return read.error();
  const Vec2 place = snap ? snapped(soften(read->luma), pointed, track.kind, track.pattern_px) : pointed;
  if (place.x() < 0 || place.y() < 0 || place.x() >= read->picture.width || place.y() >= read->picture.height)
    return invalidInput("This lies outside the picture.");
  track.putKey(frame, place);
  if (track.points.size() == 1) track.color = read->picture.at(static_cast<int>(place.x()), static_cast<int>(place.y()));
  return track;
}
}  // namespace dusky
