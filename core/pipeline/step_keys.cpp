#include <chrono>
#include <filesystem>
#include <mutex>
#include <optional>

#include "core/base/content_key.h"
#include "core/media/footage.h"
#include "core/media/sequence.h"
#include "core/pipeline/dense_step.h"
#include "core/pipeline/steps.h"

namespace dusky {
namespace {

void addFile(KeyBuilder& key, const std::filesystem::path& path) {
  std::error_code failed;
  const auto size = std::filesystem::is_regular_file(path, failed) ? std::filesystem::file_size(path, failed) : 0;
  const auto time = std::filesystem::last_write_time(path, failed).time_since_epoch().count();
  key.add(std::filesystem::absolute(path, failed).string()).add(static_cast<std::int64_t>(size)).add(static_cast<std::int64_t>(time));
}

/// A movie, or every file of a sequence: one may be replaced in its place.
std::string printOf(const std::filesystem::path& path) {
  if (path.empty()) return {};
  KeyBuilder print;
  std::error_code failed;
  const bool sequence = std::filesystem::is_directory(path, failed) || isPictureFile(path);
  const auto found = sequence ? findSequence(path) : Result<Sequence>(Sequence());
  if (!sequence || !found.ok()) {
    addFile(print, path);
    return print.key();
  }
  print.add(std::filesystem::absolute(path, failed).string());
  for (const auto& [number, file] : found->files) print.add(number), addFile(print, file);
  return print.key();
}

void addFootage(KeyBuilder& key, const FilePrints& files, const FootageInfo& footage) {
  key.add(files.footage);
  key.add(footage.width).add(footage.height).add(footage.first).add(footage.last);
}

void addTone(KeyBuilder& key, const Tone& tone) {
  if (tone == Tone()) return;
  key.add("tone").add(static_cast<int>(tone.curve)).add(tone.exposure_stops).add(tone.gamma).add(static_cast<int>(tone.channel)).add(tone.even_contrast);
}

void addMasks(KeyBuilder& key, const MaskSettings& masks, const FilePrints& files) {
  key.add(static_cast<std::int64_t>(masks.shapes.size()));
  for (const Mask& m : masks.shapes) {
    key.add(static_cast<int>(m.shape))
        .add(m.only_inside)
        .add(m.inverted)
        .add(m.grow_px)
        .add(static_cast<std::int64_t>(m.ranges.size()))
        .add(static_cast<std::int64_t>(m.keys.size()));
    for (const FrameRange& r : m.ranges) key.add(r.first).add(r.last);
    for (const MaskKey& k : m.keys) {
      key.add(k.frame).add(k.position.x()).add(k.position.y()).add(k.scale).add(k.rotation_rad);
      for (const Vec2& p : k.points) key.add(p.x()).add(p.y());
    }
  }
  if (const AlphaSettings& alpha = masks.alpha; alpha.used) key.add("alpha").add(alpha.threshold).add(alpha.grow_px).add(alpha.inverted);
  const MatteSettings& mattes = masks.mattes;
  if (mattes.folder.empty()) return;
  key.add(files.mattes).add(mattes.threshold).add(mattes.grow_px).add(mattes.inverted);
}

/// `runs` counts the first one.
void addRuns(KeyBuilder& key, const Document& document, int runs) {
  for (int i = 0; i + 1 < runs; ++i) {
    const ExtraRun& run = document.extra_runs[static_cast<std::size_t>(i)];
    key.add("run").add(run.first_frame).add(run.last_frame).add(run.density).add(run.strength_share);
    for (const Vec2& p : run.region) key.add(p.x()).add(p.y());
  }
}

/// What was done by hand, as far as it changes places; names don't. Empty: nothing.
std::string textOf(TrackWork work, const std::string& followed_key) {
  work.labels.clear();
  for (HandTrack& track : work.by_hand) track.name.clear();
  for (ImportedTracks& import : work.imported) import.label = {};
  if (work.edited_key != followed_key) work.edits.clear();
  if (work.edits.empty() && !work.addsTracks()) return {};
  work.edited_key.clear();
  return trackWorkToJson(work);
}

/// Thousands of tracks by hand make a long text, and most changes are of something else: the newest one is kept.
void addWork(KeyBuilder& key, const TrackWork& work, const std::string& followed_key) {
  struct Newest {
    std::mutex mutex;
    std::optional<TrackWork> work;
    std::string followed_key, text;
  };
  static Newest newest;
  const std::lock_guard lock(newest.mutex);
  if (newest.work != work || newest.followed_key != followed_key)
    newest.work = work, newest.followed_key = followed_key, newest.text = textOf(work, followed_key);
  if (!newest.text.empty()) key.add(newest.text);
}
}  // namespace

int runsOf(const Document& document) { return 1 + static_cast<int>(document.extra_runs.size()); }

FilePrints filePrintsOf(const Document& document) {
  std::string print = printOf(document.footage_path);
  if (!print.empty() && print == document.footage.moved_print) print = document.footage.made_print;
  return {std::move(print), printOf(document.masks.mattes.folder)};
}

std::string tracksKey(const Document& document, const FootageInfo& footage) { return tracksKey(document, footage, filePrintsOf(document), runsOf(document)); }

std::string tracksKey(const Document& document, const FootageInfo& footage, const FilePrints& files, int runs) {
  KeyBuilder key;
  addFootage(key, files, footage);
  const FollowOptions& o = document.tracking;
  key.add("tracks 4")
      .add(document.footage.step)
      .add(o.first_frame)
      .add(o.last_frame)
      .add(o.features)
      .add(o.min_strength)
      .add(o.min_distance_px)
      .add(o.patch_radius)
      .add(o.min_life)
      .add(o.max_return_px)
      .add(o.min_likeness)
      .add(o.sizes.fine)
      .add(o.sizes.medium)
      .add(o.sizes.coarse)
      .add(o.edge_margin_px)
      .add(o.max_sigma_px)
      .add(o.max_occluded)
      .add(o.rejoin)
      .add(o.both_ways);
  key.add(static_cast<std::int64_t>(document.footage.left_out.size()));
  for (const int frame : document.footage.left_out) key.add(frame);
  addTone(key, document.footage.tone);
  addMasks(key, document.masks, files);
  addRuns(key, document, runs);
  return key.key();
}

std::string solveKey(const Document& document, const FootageInfo& footage, const std::string& followed) {
  KeyBuilder key;
  const LensSettings& lens = document.lens;
  key.add("solve 4").add(followed).add(static_cast<int>(lens.focal)).add(static_cast<int>(lens.motion)).add(static_cast<int>(lens.lens)).add(document.seed);
  if (lens.focal == FocalKnowledge::Near) key.add(lens.focal_tolerance_pc);
  if (lens.focal == FocalKnowledge::Near || lens.focal == FocalKnowledge::Locked) key.add(lens.focal_mm / lens.sensor_mm);
  key.add(lens.known).add(lens.pixel_aspect > 0 ? lens.pixel_aspect : footage.pixel_aspect);
  for (const auto& [group, release] : lens.releases) {
    if (release != Release::Auto) key.add(group).add(static_cast<int>(release));
  }
  for (const auto& [name, known] : lens.values) key.add(name).add(known.value).add(known.sigma);
  if (lens.readout_ms != 0 || lens.free_readout) key.add(lens.readout_ms * footage.fps).add(lens.free_readout);
  if (lens.global_shutter) key.add("global shutter");
  for (int id : document.picks.set_aside) key.add(id);
  for (const TrackFrame& sighting : document.picks.dropped) key.add("dropped").add(sighting.track).add(sighting.frame);
  for (const TrackWeight& one : document.picks.weights) key.add("weight").add(one.track).add(one.weight);
  addWork(key, document.work, followed);
  if (document.picks.knowledge.says()) key.add("knowledge").add(knowledgeOfSolve(document.picks));
  return key.key();
}

std::string denseKey(const Document& document, const FilePrints& files, const std::string& solve, const DenseSettings& settings) {
  KeyBuilder key, chosen;
  key.add("dense 6").add(solve).add(static_cast<int>(settings.quality));
  addMasks(key, document.masks, files);
  if (settings.keyframes.empty()) return key.key();
  for (const int frame : settings.keyframes) chosen.add(frame);
  return key.key() + "-" + chosen.key();
}

SolveKeys solveKeys(const Document& document, const FootageInfo& footage, const std::string& followed, const std::string& from) {
  SolveKeys keys{.tracks = followed, .asked = solveKey(document, footage, followed), .own = {}};
  keys.own = from.empty() ? keys.asked : KeyBuilder().add("carried on").add(keys.asked).add(from).key();
  return keys;
}
}  // namespace dusky
