#include "core/pipeline/steps.h"

#include <fmt/ranges.h>

#include "core/base/paths.h"
#include "core/deliver/writers.h"
#include "core/dense/dense_files.h"
#include "core/dense/texture.h"
#include "core/lens/lens_file.h"
#include "core/media/footage.h"
#include "core/pipeline/advice_step.h"
#include "core/pipeline/dense_step.h"
#include "core/pipeline/knowledge_step.h"
#include "core/review/reviewed_solve.h"
#include "core/track/track_files.h"

namespace dusky {

FootageInfo infoOfTracks(const TrackSet& tracks, const std::string& path) {
  FootageInfo info{.path = path, .kind = "2D tracks", .width = tracks.width, .height = tracks.height, .first = tracks.first_frame, .last = tracks.last_frame};
  for (int frame = info.first; frame <= info.last; ++frame) {
    if (tracks.indexOf(frame) < 0) info.missing.push_back(frame);
  }
  return info;
}

Result<FootageInfo> lookAtFootage(const std::string& path, int width, int height) {
  if (isTrackFile(path)) {
    const auto tracks = readTrackFile(path, width, height);
    return tracks.ok() ? Result<FootageInfo>(infoOfTracks(*tracks, path)) : tracks.error();
  }
  const auto source = openFootage(path);
  return source.ok() ? Result<FootageInfo>((*source)->info()) : source.error();
}

ShotView shotViewOf(const Document& document) { return {document.footage.fps, document.footage.frame_offset, document.footage.tone}; }

Result<std::unique_ptr<FrameSource>> openFootageOf(const Document& document) { return openShot(document.footage_path, shotViewOf(document)); }

Result<SolveOptions> solveOptionsOf(const Document& document, const FootageInfo& footage) {
  const LensSettings& lens = document.lens;
  SolveOptions options{.focal = lens.focal,
                       .focal_px = lens.focal_mm / lens.sensor_mm * footage.width,
                       .focal_tolerance = lens.focal_tolerance_pc / 100,
                       .motion = lens.motion,
                       .lens = lens.lens,
                       .releases = lens.releases,
                       .known_values = lens.values,
                       .pixel_aspect = lens.pixel_aspect > 0 ? lens.pixel_aspect : footage.pixel_aspect,
                       .readout = lens.readout_ms / 1000 * footage.fps,
                       .free_readout = lens.free_readout,
                       .auto_readout = !lens.global_shutter,
                       .seed = document.seed,
                       .set_aside = document.picks.set_aside,
                       .dropped = document.picks.dropped,
                       .weights = document.picks.weights};
  if (lens.known.empty()) return options;
  const auto known = lensFromJson(lens.known);
  if (!known.ok()) return known.error();
  auto fitting = lensFor(*known, footage.width, footage.height);
  if (!fitting.ok()) return fitting.error();
  options.known_lens = *fitting;
  return options;
}

Result<SolutionPtr> runSolve(const Document& document, const FootageInfo& footage, const TrackSet& tracks, const Progress& progress,
                             const std::function<void(SolutionPtr)>& on_partial, const SolutionPtr& from) {
  const auto options = solveOptionsOf(document, footage);
  if (!options.ok()) return options.error();
  if (!document.picks.knowledge.says()) return reviewedSolve(tracks, *options, progress, on_partial, from);
  const auto plain = solveShot(tracks, *options, progress.part(0, 0.75), on_partial, from);
  if (!plain.ok()) return plain;
  return solvedWithKnowledge(document, *options, tracks, *plain, progress.part(0.75, 1));
}

Result<SweepResult> runSweep(const Document& document, const FootageInfo& footage, const TrackSet& tracks, const Solution& from, const SweepOptions& asked,
                             const Progress& progress, const std::function<void(const SweepPoint&)>& on_point) {
  const auto options = solveOptionsOf(document, footage);
  if (!options.ok()) return options.error();
  SweepOptions in_units = asked;
  in_units.first.unit = footage.fps / 1000;
  if (in_units.second) in_units.second->unit = footage.fps / 1000;
  return sweep(tracks, *options, from, in_units, progress, on_point);
}

DeliveryInput DeliveryJob::input() const {
  DeliveryInput made{footage, *solution, scene, timings, warnings, advice.value_or(std::vector<Advice>())};
  made.shot = shotName(document.footage_path);
  made.tracks = tracks.get(), made.objects = &document.picks.objects, made.knowledge = &document.picks.knowledge;
  made.mesh = document.mesh, made.sensor_mm = document.lens.sensor_mm;
  made.log_footage = document.footage.tone.curve == ToneCurve::Log;
  if (!document.mesh.path.empty()) {
    made.open_mesh = [this, read = SetMeshPtr()](const Progress& progress) mutable -> Result<SetMeshPtr> {
      if (read) return read;
      auto mesh = readSetMesh(document.mesh.path, progress);
      if (mesh.ok()) read = *mesh;
      return mesh;
    };
  }
  addDense(made);
  if (isTrackFile(document.footage_path)) return made;
  made.open_footage = [this] { return openFootageOf(document); };
  made.mask = maskOfShot(document, footage);
  return made;
}

Result<SetMesh> DeliveryJob::withTexture(SetMesh mesh, int side_px, const Progress& progress) const {
  TextureInput from{.solution = *solution,
                    .scene_from_solve = scene.scene_from_solve,
                    .frames = {},
                    .depthOf = [this](int frame) { return readFusedView(depthMapIn(dense_folder, frame)); },
                    .open_footage = [this] { return openFootageOf(document); },
                    .mask = maskOfShot(document, footage)};
  for (const DenseFrame& frame : denseSummaryIn(dense_folder).frames) from.frames.push_back(frame.frame);
  return textured(std::move(mesh), from, {.side_px = side_px}, progress);
}

/// Read and cleaned up when the first of them is asked for, once for all.
void DeliveryJob::addDense(DeliveryInput& made) const {
  const DenseSummary summary = denseSummaryIn(dense_folder);
  if (summary.points == 0) return;
  made.pictures = pictureOffsets(summary.frames);
  struct Made {
    DenseCloudPtr cloud;
    SetMeshPtr surface, textured;
    int texture_px = 0;
  };
  const auto kept = std::make_shared<Made>();
  made.open_dense = [this, kept](const Progress& progress) -> Result<DenseCloudPtr> {
    if (kept->cloud) return kept->cloud;
    const auto stored = storedDense(dense_folder);
    if (!stored.ok()) return stored.error();
    auto cleaned = cleanedDense((*stored)->cloud, document.dense, scene.scene_from_solve, progress);
    if (cleaned.ok()) kept->cloud = *cleaned;
    return cleaned;
  };
  const auto plain = [this, kept, open = made.open_dense](const Progress& progress) -> Result<SetMeshPtr> {
    if (kept->surface) return kept->surface;
    const auto cloud = open(progress.part(0, 0.2));
    if (!cloud.ok()) return cloud.error();
    auto surface = surfaceOf(**cloud, scene.scene_from_solve, {.triangles = document.dense.triangles}, progress.part(0.2, 1));
    if (!surface.ok()) return surface.error();
    return kept->surface = std::make_shared<SetMesh>(std::move(surface->mesh));
  };
  made.open_surface = [this, kept, plain](int texture_px, const Progress& progress) -> Result<SetMeshPtr> {
    if (texture_px == 0) return plain(progress);
    if (kept->textured && kept->texture_px == texture_px) return kept->textured;
    const auto surface = plain(progress.part(0, 0.5));
    if (!surface.ok()) return surface.error();
    auto covered = withTexture(**surface, texture_px, progress.part(0.5, 1));
    if (!covered.ok()) return covered.error();
    kept->texture_px = texture_px;
    return kept->textured = std::make_shared<SetMesh>(std::move(*covered));
  };
}

Result<Delivered> DeliveryJob::run(const std::filesystem::path& folder, const DeliveryChoices& choices, const Progress& progress) const {
  DeliveryInput made = input();
  if (!advice && current && tracks && choices.wants("report.json")) {
    const auto advised = adviseOn({document, footage, tracks, solution}, progress.part(0, 0));
    if (advised.ok()) made.advice = *advised;
  }
  return deliver(made, choices, folder, progress);
}

Status DeliveryJob::review(const std::filesystem::path& path, const ReviewOptions& options, const Progress& progress) const {
  if (isTrackFile(document.footage_path)) return invalidInput("There is no review movie of this shot: it is 2D tracks without pictures.");
  if (const Status fine = options.check(); !fine.ok()) return fine;
  const auto source = openFootageOf(document);
  if (!source.ok()) return source.error();
  return writeReview(**source, reviewInputOf(input()), options, path, progress);
}

std::string shotName(const std::filesystem::path& footage) {
  const std::filesystem::path whole = wholePath(footage);
  const std::string name = (whole.has_filename() ? whole : whole.parent_path()).stem().string();
  return name.empty() || name == "/" ? "shot" : name;
}

Result<DeliveryChoices> presetNamed(const Document& document, const std::string& name) {
  std::vector<std::string> names;
  for (const auto* presets : {&document.delivery.presets, &deliveryPresets()}) {
    for (const DeliveryPreset& preset : *presets) {
      if (preset.name == name) return preset.choices;
      names.push_back(preset.name);
    }
  }
  return invalidInput(fmt::format("There is no preset \"{}\"; there are {}.", name, fmt::join(names, ", ")));
}

std::filesystem::path defaultDeliveryFolder(const Document& document) {
  if (!document.delivery.folder.empty()) return document.delivery.folder;
  const std::filesystem::path footage = document.footage_path;
  return (footage.has_filename() ? footage : footage.parent_path()).parent_path() / (shotName(footage) + "-delivery");
}
}  // namespace dusky
