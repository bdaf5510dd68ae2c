#include "core/deliver/exporter.h"

#include <algorithm>
#include <array>

#include "core/base/atomic_file.h"
#include "core/deliver/writers.h"

namespace dusky {
namespace {

constexpr std::string_view kReview = "review.mp4";

template <class Text>
Status put(const std::filesystem::path& folder, std::string_view name, const Text& text) {
  if (!text.ok()) return text.error();
  return writeFileAtomically(folder / name, *text);
}

/// A file that is made in memory.
template <Result<std::string> (*Make)(const DeliveryInput&, const DeliveryChoices&), const char* Name>
constexpr Exporter inMemory(std::string_view group, std::string_view what) {
  return {Name,
          what,
          group,
          false,
          [](const DeliveryChoices&) { return std::vector<std::string>{Name}; },
          [](const DeliveryInput& input, const DeliveryChoices& choices, const std::filesystem::path& folder, const Progress&) {
            return put(folder, Name, Make(input, choices));
          }};
}

Status writeReviewTo(const DeliveryInput& input, const DeliveryChoices& choices, const std::filesystem::path& folder, const Progress& progress) {
  const auto source = input.open_footage();
  if (!source.ok()) return source.error();
  static const TrackSet kNoTracks;
  static const std::vector<TestObject> kNoObjects;
  const ReviewInput review{input.footage, input.solution, input.scene, input.tracks ? *input.tracks : kNoTracks, input.objects ? *input.objects : kNoObjects,
                           input.shot};
  return writeReview(**source, review, choices.review, folder / kReview, progress);
}

Result<std::string> reportText(const DeliveryInput& input, const DeliveryChoices& choices) { return reportJson(input, choices); }

constexpr char kCameraGlb[] = "camera.glb", kObjectGlb[] = "object.glb", kPointsPly[] = "points.ply", kCameraCsv[] = "camera.csv",
               kReportJson[] = "report.json", kCameraUsda[] = "camera.usda", kPointsCsv[] = "points.csv", kLensJson[] = "lens.json";

std::vector<std::string> stMapsMade(const DeliveryChoices&) { return {std::string(kStMapFolder)}; }
std::vector<std::string> reportPageMade(const DeliveryChoices&) { return {std::string(kReportFolder)}; }
std::vector<std::string> splatMade(const DeliveryChoices&) { return {std::string(kSplatFolder)}; }

}  // namespace

std::span<const Exporter> exporters() {
  static const auto all = std::to_array<Exporter>({
      inMemory<cameraGlb, kCameraGlb>("3D scene", "animated camera and points (glTF 2.0)"),
      inMemory<cameraUsda, kCameraUsda>("3D scene", "the same (USD)"),
      inMemory<objectGlb, kObjectGlb>("3D scene", "moving object before a camera that stands still (glTF 2.0)"),
      inMemory<pointsPly, kPointsPly>("Points and tables", "coloured points (PLY)"),
      inMemory<cameraCsv, kCameraCsv>("Points and tables", "camera by frame, as a table"),
      inMemory<pointsCsv, kPointsCsv>("Points and tables", "points, as a table"),
      inMemory<lensJson, kLensJson>("Lens and plates", "the lens, and the undistorted picture"),
      {"st-maps", "undistort and redistort, for compositing (EXR)", "Lens and plates", false, stMapsMade, writeStMaps},
      {"plates", "undistorted plates", "Lens and plates", true, platesMade, writePlates},
      {"splat-set", "undistorted pictures, cameras and points for splat training", "Splat training", true, splatMade, writeSplatSet},
      {"review", "the plate with what the camera says of it (H.264)", "Review", true,
       [](const DeliveryChoices&) { return std::vector<std::string>{std::string(kReview)}; }, writeReviewTo},
      {"report-page", "what was solved and how well, as a page with curves and stills (HTML)", "Review", false, reportPageMade, writeReportPage},
      inMemory<reportText, kReportJson>("Review", "everything, machine-readable"),
  });
  return all;
}

const Exporter* exporterNamed(std::string_view name) {
  const auto all = exporters();
  const auto found = std::find_if(all.begin(), all.end(), [name](const Exporter& exporter) { return exporter.name == name; });
  return found == all.end() ? nullptr : &*found;
}

}  // namespace dusky
