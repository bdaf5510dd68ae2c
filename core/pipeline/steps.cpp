#include "core/pipeline/steps.h"

#include <chrono>

#include "core/base/content_key.h"
#include "core/media/footage.h"

namespace dusky {
namespace {

void addFootage(KeyBuilder& key, const Document& document, const FootageInfo& footage) {
  std::error_code failed;
  const std::filesystem::path path = document.footage_path;
  const auto size = std::filesystem::is_regular_file(path, failed) ? std::filesystem::file_size(path, failed) : 0;
  const auto time = std::filesystem::last_write_time(path, failed).time_since_epoch().count();
  key.add(std::filesystem::absolute(path, failed).string()).add(static_cast<std::int64_t>(size)).add(static_cast<std::int64_t>(time));
  key.add(footage.width).add(footage.height).add(footage.first).add(footage.last);
}

void addMasks(KeyBuilder& key, const MaskSettings& masks) {
  key.add(static_cast<std::int64_t>(masks.shapes.size()));
  for (const Mask& m : masks.shapes) {
    key.add(static_cast<int>(m.shape)).add(m.only_inside).add(m.inverted).add(m.grow_px).add(m.first_frame).add(m.last_frame).add(static_cast<std::int64_t>(m.keys.size()));
    for (const MaskKey& k : m.keys) {
      key.add(k.frame).add(k.position.x()).add(k.position.y()).add(k.scale).add(k.rotation_rad);
      for (const Vec2& p : k.points) key.add(p.x()).add(p.y());
    }
  }
  const MatteSettings& mattes = masks.mattes;
  if (mattes.folder.empty()) return;
  std::error_code failed;
  const auto time = std::filesystem::last_write_time(mattes.folder, failed).time_since_epoch().count();
  key.add(std::filesystem::absolute(mattes.folder, failed).string()).add(static_cast<std::int64_t>(time));
  key.add(mattes.threshold).add(mattes.grow_px).add(mattes.inverted);
}

}  // namespace

std::string tracksKey(const Document& document, const FootageInfo& footage) {
  KeyBuilder key;
  addFootage(key, document, footage);
  const FollowOptions& o = document.tracking;
  key.add("tracks 2")
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
      .add(o.max_foreign)
      .add(o.rejoin)
      .add(o.both_ways);
  key.add(static_cast<std::int64_t>(document.footage.left_out.size()));
  for (const int frame : document.footage.left_out) key.add(frame);
  addMasks(key, document.masks);
  return key.key();
}

std::string solveKey(const Document& document, const FootageInfo& footage) {
  KeyBuilder key;
  const LensSettings& lens = document.lens;
  key.add("solve 1").add(tracksKey(document, footage)).add(static_cast<int>(lens.focal)).add(lens.distortion).add(document.seed);
  if (lens.focal != FocalKnowledge::Unknown) key.add(lens.focal_mm / lens.sensor_mm);
  for (int id : document.set_aside) key.add(id);
  return key.key();
}

SolveOptions solveOptionsOf(const Document& document, int width) {
  SolveOptions options;
  options.focal = document.lens.focal;
  options.focal_px = document.lens.focal_mm / document.lens.sensor_mm * width;
  options.lens_distortion = document.lens.distortion;
  options.seed = document.seed;
  options.set_aside = document.set_aside;
  return options;
}

Result<TrackSetPtr> runTracks(const Document& document, const Progress& progress, const std::function<void(TrackSetPtr)>& on_partial) {
  auto source = openFootage(document.footage_path);
  if (!source.ok()) return source.error();
  FollowScope scope{.step = document.footage.step, .left_out = document.footage.left_out};
  std::unique_ptr<MaskSet> masks;
  if (document.masks.any()) {
    const auto frames = framesToFollow((*source)->info(), document.tracking, scope);
    if (!frames.ok()) return frames.error();
    auto made = makeMasks(document.masks, (*source)->info(), *frames);
    if (!made.ok()) return made.error();
    masks = std::move(*made);
    scope.masks = masks.get();
  }
  auto tracks = followFeatures(**source, document.tracking, progress, scope, on_partial);
  if (!tracks.ok()) return tracks;
  if ((*tracks)->summary.termination == Termination::Cancelled) return cancelled();
  if ((*tracks)->tracks.empty() && masks) {
    return cannotSolve("Nothing can be tracked: what the masks leave of the picture holds no texture, or they leave nothing. Look at the masks' preview.");
  }
  return tracks;
}

Result<SolutionPtr> runSolve(const Document& document, const TrackSet& tracks, const Progress& progress, const std::function<void(SolutionPtr)>& on_partial) {
  return solveShot(tracks, solveOptionsOf(document, tracks.width), progress, on_partial);
}

Result<std::vector<DeliveredFile>> DeliveryJob::run(const DeliveryOptions& options, const Progress& progress) const {
  return deliver({footage, *solution, scene, timings, warnings}, options, progress);
}

DeliveryOptions deliveryOptionsOf(const Document& document) {
  const DeliverySettings& chosen = document.delivery;
  return {defaultDeliveryFolder(document), chosen.camera_glb, chosen.points_ply, chosen.camera_csv, chosen.report_json};
}

std::filesystem::path defaultDeliveryFolder(const Document& document) {
  if (!document.delivery.folder.empty()) return document.delivery.folder;
  const std::filesystem::path footage = document.footage_path;
  return footage.parent_path() / (footage.stem().string() + "-delivery");
}

}  // namespace dusky
