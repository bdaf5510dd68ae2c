#include "core/pipeline/unsaved_shots.h"

#include <fmt/chrono.h>
#include <fmt/format.h>
#include <unistd.h>

#include <algorithm>
#include <ctime>

#include "core/base/file_lock.h"
#include "core/base/paths.h"
#include "core/pipeline/dense_step.h"
#include "core/project/project_store.h"

namespace dusky {

namespace fs = std::filesystem;

std::vector<UnsavedShot> unsavedShots(const fs::path& folder) {
  std::vector<UnsavedShot> shots;
  std::error_code failed;
  for (const auto& entry : fs::directory_iterator(folder, failed)) {
    if (endingOf(entry.path()) != "moth" || FileLock::held(entry.path())) continue;
    const auto store = ProjectStore::open(entry.path(), ProjectStore::Access::Read);
    const auto document = store.ok() ? (*store)->document() : Result<Document>(store.error());
    if (document.ok()) shots.push_back({entry.path(), document->footage_path, entry.last_write_time(failed)});
  }
  std::sort(shots.begin(), shots.end(), [](const UnsavedShot& a, const UnsavedShot& b) { return a.changed > b.changed; });
  return shots;
}

Status dropUnsavedShot(const fs::path& file) {
  std::error_code failed;
  fs::remove(file, failed);
  std::error_code kept;
  fs::remove_all(denseCacheOf(file), kept);
  if (failed) return cannotWrite(fmt::format("Cannot remove {}: {}.", file.string(), failed.message()));
  return Done{};
}

KeptFile::~KeptFile() {
  if (!path_.empty()) (void)dropUnsavedShot(path_);
}

Result<fs::path> newKeptFile(const fs::path& folder, const std::string& shot_name) {
  std::error_code failed;
  fs::create_directories(folder, failed);
  if (!failed) fs::permissions(folder, fs::perms::owner_all, failed);
  if (failed) return cannotWrite(fmt::format("Unsaved shots cannot be kept in {}: {}.", folder.string(), failed.message()));
  const std::string stem = fmt::format("{}-{}-{}", shot_name, static_cast<long>(std::time(nullptr)), ::getpid());
  for (int i = 1;; ++i) {
    const fs::path path = folder / (i == 1 ? stem + ".moth" : fmt::format("{}-{}.moth", stem, i));
    if (!fs::exists(path, failed)) return path;
  }
}

}  // namespace dusky
