#include "core/deliver/exporter.h"

#include <algorithm>
#include <array>

#include "core/base/atomic_file.h"
#include "core/deliver/dense_ply.h"
#include "core/deliver/writers.h"

namespace dusky {
namespace {

constexpr std::string_view kReview = "review.mp4", kReportJson = "report.json", kDensePly = "dense.ply", kMeshPly = "mesh.ply", kMeshObj = "mesh.obj",
                           kMeshGlb = "mesh.glb", kMeshUsda = "mesh.usda";

/// What a file is made of in memory; one that reads something may fail.
Status put(const std::filesystem::path& path, const Result<std::string>& text) { return text.ok() ? writeFileAtomically(path, *text) : Status(text.error()); }

/// A file that is made in memory.
template <auto Make, const char* Name>
constexpr Exporter inMemory(std::string_view group, std::string_view what) {
  return {Name,
          what,
          group,
          false,
          [](const DeliveryChoices&) { return std::vector<std::string>{Name}; },
          [](const DeliveryInput& input, const DeliveryChoices&, const DeliveryView& view, const std::filesystem::path& folder, const Progress&) {
            return put(folder / Name, Make(input, view));
          }};
}

Status writeReviewTo(const DeliveryInput& input, const DeliveryChoices& choices, const DeliveryView&, const std::filesystem::path& folder,
                     const Progress& progress) {
  const auto source = input.open_footage();
  if (!source.ok()) return source.error();
  return writeReview(**source, reviewInputOf(input), choices.review, folder / kReview, progress);
}

Status writeReport(const DeliveryInput& input, const DeliveryChoices& choices, const DeliveryView&, const std::filesystem::path& folder, const Progress&) {
  return writeFileAtomically(folder / kReportJson, reportJson(input, choices));
}

Status writeDense(const DeliveryInput& input, const DeliveryChoices&, const DeliveryView& view, const std::filesystem::path& folder, const Progress& progress) {
  const auto cloud = input.open_dense(progress.part(0, 0.7));
  return cloud.ok() ? writeDensePly(folder / kDensePly, **cloud, fileWorldOf(view), progress.part(0.7, 1)) : Status(cloud.error());
}

/// A mesh of the dense points, in a format.
template <const std::string_view& Name>
Status writeMesh(const DeliveryInput& input, const DeliveryChoices& choices, const DeliveryView& view, const std::filesystem::path& folder,
                 const Progress& progress) {
  const auto surface = input.open_surface(takesTexture(Name) ? choices.mesh_texture_px : 0, progress.part(0, 0.7));
  if (!surface.ok()) return surface.error();
  const FileWorld world = fileWorldOf(view);
  return writeSurface(folder / Name, **surface, world.world_from_solve * input.scene.scene_from_solve.inverse(), world, progress.part(0.7, 1));
}

/// A texture's picture is there once for all of them.
template <const std::string_view& Name>
std::vector<std::string> meshFiles(const DeliveryChoices& choices) {
  std::vector<std::string> names;
  for (const auto& path : surfaceFiles(Name, choices.mesh_texture_px > 0)) names.push_back(path.string());
  if (Name == kMeshUsda && choices.wants(kMeshObj)) names.resize(1);
  return names;
}

constexpr char kCameraGlb[] = "camera.glb", kObjectGlb[] = "object.glb", kPointsPly[] = "points.ply", kCameraCsv[] = "camera.csv",
               kCameraUsda[] = "camera.usda", kPointsCsv[] = "points.csv", kLensJson[] = "lens.json";

/// One file or folder, whatever was chosen.
template <const std::string_view& Name>
std::vector<std::string> always(const DeliveryChoices&) {
  return {std::string(Name)};
}

}  // namespace

ReviewInput reviewInputOf(const DeliveryInput& input) {
  static const TrackSet kNoTracks;
  static const std::vector<TestObject> kNoObjects;
  return {input.footage, input.solution, input.scene, input.tracks ? *input.tracks : kNoTracks, input.objects ? *input.objects : kNoObjects,
          input.shot,    input.pictures};
}

std::span<const Exporter> exporters() {
  static const auto all = std::to_array<Exporter>({
      inMemory<cameraGlb, kCameraGlb>("3D scene", "animated camera and points (glTF 2.0)"),
      inMemory<cameraUsda, kCameraUsda>("3D scene", "the same (USD)"),
      inMemory<objectGlb, kObjectGlb>("3D scene", "moving object before a camera that stands still (glTF 2.0)"),
      inMemory<pointsPly, kPointsPly>("Points and tables", "coloured points (PLY)"),
      inMemory<cameraCsv, kCameraCsv>("Points and tables", "camera by frame, as a table"),
      inMemory<pointsCsv, kPointsCsv>("Points and tables", "points, as a table"),
      inMemory<lensJson, kLensJson>("Lens and plates", "the lens, and the undistorted picture"),
      {"st-maps", "undistort and redistort, for compositing (EXR)", "Lens and plates", false, always<kStMapFolder>, writeStMaps},
      {"plates", "undistorted plates", "Lens and plates", true, platesMade, writePlates},
      {kDensePly, "dense points, cleaned up (PLY)", "Dense", false, always<kDensePly>, writeDense, true},
      {kMeshPly, "mesh of the dense points (PLY)", "Dense", false, meshFiles<kMeshPly>, writeMesh<kMeshPly>, true},
      {kMeshObj, "the same (OBJ)", "Dense", false, meshFiles<kMeshObj>, writeMesh<kMeshObj>, true},
      {kMeshGlb, "the same (glTF 2.0)", "Dense", false, meshFiles<kMeshGlb>, writeMesh<kMeshGlb>, true},
      {kMeshUsda, "the same (USD)", "Dense", false, meshFiles<kMeshUsda>, writeMesh<kMeshUsda>, true},
      {"splat-set", "undistorted pictures, cameras and points for splat training", "Splat training", true, always<kSplatFolder>, writeSplatSet},
      {"review", "the plate with what the camera says of it (H.264)", "Review", true, always<kReview>, writeReviewTo},
      {"stills", "single pictures of it (PNG)", "Review", true, always<kStillFolder>, writeStills},
      {"report-page", "what was solved and how well, as a page with curves and stills (HTML)", "Review", false, always<kReportFolder>, writeReportPage},
      {"report.json", "everything, machine-readable", "Review", false, always<kReportJson>, writeReport},
  });
  return all;
}

const Exporter* exporterNamed(std::string_view name) {
  const auto all = exporters();
  const auto found = std::find_if(all.begin(), all.end(), [name](const Exporter& exporter) { return exporter.name == name; });
  return found == all.end() ? nullptr : &*found;
}

}  // namespace dusky
