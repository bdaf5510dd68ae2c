#include "core/pipeline/steps.h"

namespace dusky {

ShotView shotViewOf(const Document& document) { return {document.footage.fps, document.footage.frame_offset, document.footage.tone}; }

Result<std::unique_ptr<FrameSource>> openFootageOf(const Document& document) { return openShot(document.footage_path, shotViewOf(document)); }

SolveOptions solveOptionsOf(const Document& document, int width) {
  SolveOptions options;
  options.focal = document.lens.focal;
  options.focal_px = document.lens.focal_mm / document.lens.sensor_mm * width;
  options.lens_distortion = document.lens.distortion;
  options.seed = document.seed;
  options.set_aside = document.picks.set_aside;
  return options;
}

Result<SolutionPtr> runSolve(const Document& document, const TrackSet& tracks, const Progress& progress, const std::function<void(SolutionPtr)>& on_partial) {
  return solveShot(tracks, solveOptionsOf(document, tracks.width), progress, on_partial);
}

Result<std::vector<DeliveredFile>> DeliveryJob::run(const DeliveryOptions& options, const Progress& progress) const {
  return deliver({footage, *solution, scene, timings, warnings}, options, progress);
}

DeliveryOptions deliveryOptionsOf(const Document& document) {
  const DeliverySettings& chosen = document.delivery;
  return {defaultDeliveryFolder(document), chosen.camera_glb, chosen.points_ply, chosen.camera_csv, chosen.report_json, chosen.object_glb};
}

std::filesystem::path defaultDeliveryFolder(const Document& document) {
  if (!document.delivery.folder.empty()) return document.delivery.folder;
  const std::filesystem::path footage = document.footage_path;
  return footage.parent_path() / (footage.stem().string() + "-delivery");
}
}  // namespace dusky
