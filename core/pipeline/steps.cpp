#include "core/pipeline/steps.h"

#include "core/pipeline/knowledge_step.h"

#include "core/base/paths.h"
#include "core/lens/lens_file.h"
#include "core/media/footage.h"
#include "core/pipeline/advice_step.h"
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
                       .dropped = document.picks.dropped};
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

Result<std::vector<DeliveredFile>> DeliveryJob::run(const DeliveryOptions& options, const Progress& progress) const {
  DeliveryInput input{footage, *solution, scene, timings, warnings, advice.value_or(std::vector<Advice>())};
  if (!advice && current && tracks && options.report_json) {
    const auto advised = adviseOn({document, footage, tracks, solution}, progress.part(0, 0));
    if (advised.ok()) input.advice = *advised;
  }
  if (!options.review_mp4) return deliver(input, options, progress);
  auto files = deliver(input, options, progress.part(0, 0.1));
  if (!files.ok()) return files;
  const auto path = options.folder / kReviewName;
  if (const Status written = review(path, options.review, progress.part(0.1, 1)); !written.ok()) return written.error();
  std::error_code failed;
  files->push_back({path, "the plate with what the camera says of it (H.264)", std::filesystem::file_size(path, failed)});
  return files;
}

Status DeliveryJob::review(const std::filesystem::path& path, const ReviewOptions& options, const Progress& progress) const {
  if (isTrackFile(document.footage_path)) return invalidInput("There is no review movie of this shot: it is 2D tracks without pictures.");
  if (const Status fine = options.check(); !fine.ok()) return fine;
  const auto source = openFootageOf(document);
  if (!source.ok()) return source.error();
  static const TrackSet kNoTracks;
  const ReviewInput input{footage, *solution, scene, tracks ? *tracks : kNoTracks, document.picks.objects, shotName(document.footage_path)};
  return writeReview(**source, input, options, path, progress);
}

std::string shotName(const std::filesystem::path& footage) {
  const std::filesystem::path whole = wholePath(footage);
  const std::string name = (whole.has_filename() ? whole : whole.parent_path()).stem().string();
  return name.empty() || name == "/" ? "shot" : name;
}

DeliveryOptions deliveryOptionsOf(const Document& document) {
  const DeliverySettings& chosen = document.delivery;
  return {.folder = defaultDeliveryFolder(document),
          .camera_glb = chosen.camera_glb,
          .points_ply = chosen.points_ply,
          .camera_csv = chosen.camera_csv,
          .report_json = chosen.report_json,
          .object_glb = chosen.object_glb,
          .review_mp4 = chosen.review_mp4,
          .review = {.objects = chosen.review_objects,
                     .grid = chosen.review_grid,
                     .points = chosen.review_points,
                     .whiskers = chosen.review_whiskers,
                     .whisker = chosen.review_whisker,
                     .frames = {}}};
}

std::filesystem::path defaultDeliveryFolder(const Document& document) {
  if (!document.delivery.folder.empty()) return document.delivery.folder;
  const std::filesystem::path footage = document.footage_path;
  return (footage.has_filename() ? footage : footage.parent_path()).parent_path() / (shotName(footage) + "-delivery");
}
}  // namespace dusky
