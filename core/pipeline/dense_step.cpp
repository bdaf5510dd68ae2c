#include "core/pipeline/dense_step.h"

#include <fmt/format.h>

#include <algorithm>

#include "core/base/content_key.h"
#include "core/base/log.h"
#include "core/dense/dense_files.h"
#include "core/pipeline/dense_pace.h"
#include "core/track/track_files.h"

namespace dusky {
namespace {

namespace fs = std::filesystem;

constexpr std::size_t kKept = 3;  // Folders of keys.

/// Whether a folder is one that a key names: what else lies there is nobody's business here.
bool isKeyed(const fs::path& folder) {
  const std::string name = folder.filename().string();
  return name.size() == 16 && name.find_first_not_of("0123456789abcdef") == std::string::npos;
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
    // On one disk a second name costs nothing.
    for (const auto& file : fs::directory_iterator(entry.path(), failed)) {
      std::error_code apart;
      fs::create_hard_link(file.path(), to / file.path().filename(), apart);
      if (apart) fs::copy_file(file.path(), to / file.path().filename(), apart);
    }
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

Result<DenseForecast> DenseJob::forecast() const {
  auto forecast = forecastDense(*shot.solution, {.quality = settings().quality});
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
  const DenseInput input{*shot.solution, [this] { return openFootageOf(shot.document); }, maskOfShot(shot.document, shot.footage),
                         keeps ? folder() : fs::path(), on_view};
  auto made = makeDense(input, {.quality = settings().quality}, progress);
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

Result<Surface> DenseJob::surface(const DenseCloud& cleaned, const Progress& progress) const {
  return surfaceOf(cleaned, shot.scene.scene_from_solve, {.triangles = settings().triangles}, progress);
}

}  // namespace dusky
