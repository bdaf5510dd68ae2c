#include "core/pipeline/dense_step.h"

#include <fmt/format.h>

#include <algorithm>

#include "core/base/content_key.h"
#include "core/base/log.h"
#include "core/base/paths.h"
#include "core/dense/dense_files.h"
#include "core/pipeline/dense_pace.h"
#include "core/track/track_files.h"

namespace dusky {
namespace {

namespace fs = std::filesystem;

constexpr std::size_t kKept = 3;  // Folders of keys.

constexpr std::size_t kKeyDigits = 16;

/// Of a folder's name, the part that says what maps are made from, whatever the keyframes.
std::string stampOf(const fs::path& folder) { return folder.filename().string().substr(0, kKeyDigits); }

/// Whether a folder is one that a key names: what else lies there is nobody's business here.
bool isKeyed(const fs::path& folder) {
  const std::string name = folder.filename().string();
  return (name.size() == kKeyDigits || name.size() == 2 * kKeyDigits + 1) && name.find_first_not_of("0123456789abcdef-") == std::string::npos;
}

/// Folders of the same solve, footage and quality, with other keyframes.
std::vector<fs::path> earlierOf(const fs::path& folder) {
  std::vector<fs::path> earlier;
  std::error_code failed;
  for (const auto& entry : fs::directory_iterator(folder.parent_path(), failed)) {
    if (isKeyed(entry.path()) && entry.path() != folder && stampOf(entry.path()) == stampOf(folder)) earlier.push_back(entry.path());
  }
  std::sort(earlier.begin(), earlier.end());
  return earlier;
}

/// Of the folders beside it those that were used last stay.
void dropOld(const fs::path& now) {
  std::error_code failed;
  std::vector<std::pair<fs::file_time_type, fs::path>> folders;
  for (const auto& entry : fs::directory_iterator(now.parent_path(), failed)) {
    if (entry.is_directory(failed) && isKeyed(entry.path()) && entry.path() != now) folders.emplace_back(entry.last_write_time(failed), entry.path());
  }
  std::sort(folders.begin(), folders.end(), std::greater<>());
  for (std::size_t k = kKept - 1; k < folders.size(); ++k) fs::remove_all(folders[k].second, failed);
}

/// Whether anything can be kept there.
bool takes(const fs::path& folder) {
  std::error_code failed;
  fs::create_directories(folder, failed);
  return !failed && fs::is_directory(folder, failed);
}

}  // namespace

fs::path denseCacheOf(const fs::path& project) { return project.empty() ? fs::path() : fs::path(project).replace_extension(".dense"); }

void carryDense(const fs::path& from_project, const fs::path& to_project) {
  std::error_code failed;
  for (const auto& entry : fs::directory_iterator(denseCacheOf(from_project), failed)) {
    const fs::path to = denseCacheOf(to_project) / entry.path().filename();
    if (!fs::exists(densePointsFile(entry.path()), failed) || fs::exists(to, failed)) continue;
    fs::create_directories(to, failed);
    for (const auto& file : fs::directory_iterator(entry.path(), failed)) linkOrCopy(file.path(), to / file.path().filename());
  }
}

fs::path densePointsFile(const fs::path& folder) { return folder / "points.dense"; }

std::vector<PictureOffset> pictureOffsets(const std::vector<DenseFrame>& frames) {
  std::vector<PictureOffset> pictures;
  for (const DenseFrame& frame : frames) pictures.push_back({frame.frame, frame.off_px});
  return pictures;
}

DenseSummary denseSummaryIn(const fs::path& folder) {
  DenseSummary summary;
  if (folder.empty()) return summary;
  const auto read = readDenseSummary(densePointsFile(folder), summary.points);
  if (!read.ok()) return {};
  summary.quality = read->quality, summary.frames = read->frames;
  summary.seconds = read->views_s + read->depth_s + read->fuse_s;
  return summary;
}

static DenseOptions optionsOf(const DenseSettings& settings) { return {.quality = settings.quality, .keyframes = settings.keyframes}; }

Result<DenseForecast> DenseJob::forecast() const {
  auto forecast = forecastDense(*shot.solution, optionsOf(settings()));
  if (forecast.ok()) forecast->seconds = forecast->megapixels * densePace();
  return forecast;
}

/// Where all of it was made now.
static void learnFrom(const DenseResult& made) {
  double megapixels = 0;
  for (const DenseFrame& frame : made.frames) megapixels += 1e-6 * static_cast<double>(frame.pixels);
  if (made.maps_made == static_cast<int>(made.frames.size()) && megapixels > 0) learnDensePace((made.views_s + made.depth_s + made.fuse_s) / megapixels);
}

std::string roundedCount(std::size_t points) {
  const auto n = static_cast<double>(points);
  return n < 1e4 ? fmt::format("{}", points) : n < 1e6 ? fmt::format("{:.0f} k", n / 1e3) : fmt::format("{:.1f} M", n / 1e6);
}

Result<DenseResultPtr> storedDense(const fs::path& folder) {
  if (!folder.empty()) {
    auto read = readDenseResult(densePointsFile(folder));
    if (read.ok()) return read;
  }
  return invalidInput("There are no dense points of this solve at this quality: make them first (step Dense, or moth dense).");
}

Result<DenseResultPtr> DenseJob::run(const Progress& progress, const std::function<void(const FusedViewPtr&)>& on_view) const {
  if (isTrackFile(shot.document.footage_path)) return invalidInput("There are no dense points of this shot: it is 2D tracks without pictures.");
  if (const Status fine = settings().check(); !fine.ok()) return fine.error();
  if (auto there = storedDense(folder()); there.ok()) return there;
  const bool keeps = !folder().empty() && takes(folder());
  const DenseInput input{.solution = *shot.solution,
                         .open_footage = [this] { return openFootageOf(shot.document); },
                         .mask = maskOfShot(shot.document, shot.footage),
                         .folder = keeps ? folder() : fs::path(),
                         .earlier = keeps ? earlierOf(folder()) : std::vector<fs::path>(),
                         .on_view = on_view};
  auto made = makeDense(input, optionsOf(settings()), progress);
  if (!made.ok()) return made.error();
  learnFrom(*made);
  auto result = std::make_shared<DenseResult>(std::move(*made));
  if (!folder().empty() && !keeps) result->warnings.push_back("The folder beside the project takes nothing: the dense points are not kept.");
  if (keeps) {
    if (const Status written = writeDenseResult(densePointsFile(folder()), *result); !written.ok()) {
      result->warnings.push_back("The dense points are not kept: " + written.error().message);
      logProblem(written.error().message);
    }
    dropOld(folder());
  }
  return DenseResultPtr(std::move(result));
}

Result<Surface> DenseJob::surface(const DenseCloud& cleaned, int texture_px, const Progress& progress) const {
  auto surface = surfaceOf(cleaned, shot.scene.scene_from_solve, {.triangles = settings().triangles}, progress.part(0, texture_px > 0 ? 0.5 : 1));
  if (!surface.ok() || texture_px == 0) return surface;
  auto covered = shot.withTexture(std::move(surface->mesh), texture_px, progress.part(0.5, 1));
  if (!covered.ok()) return covered.error();
  surface->mesh = std::move(*covered);
  return surface;
}

}  // namespace dusky
