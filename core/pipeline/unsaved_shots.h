#pragma once
#include <chrono>
#include <filesystem>
#include <string>
#include <vector>

#include "core/base/result.h"

namespace dusky {

/// A shot without a project file of its own, as it was kept when its program ended without saving or dropping it.
struct UnsavedShot {
  std::filesystem::path file;  ///< A project, to be opened by Workspace::openUnsaved.
  std::string footage;         ///< The path of its footage.
  std::filesystem::file_time_type changed;
};

/// The kept shots in a folder that no running program works on, newest first. Those that cannot be read stay where they are and are not named.
std::vector<UnsavedShot> unsavedShots(const std::filesystem::path& folder);

/// Removes a kept shot for good. Errors: CannotWrite.
Status dropUnsavedShot(const std::filesystem::path& file);

/// A file that a shot is kept in until it is saved elsewhere or closed: gone with the object. A program that is killed leaves it.
class KeptFile {
 public:
  explicit KeptFile(std::filesystem::path path) : path_(std::move(path)) {}
  ~KeptFile();
  /// From now on the file stays.
  void leave() { path_.clear(); }
  KeptFile(const KeptFile&) = delete;
  KeptFile& operator=(const KeptFile&) = delete;

 private:
  std::filesystem::path path_;
};

/// A name for a new kept shot in a folder, which is made where it is missing: readable by its owner alone. Errors: CannotWrite.
Result<std::filesystem::path> newKeptFile(const std::filesystem::path& folder, const std::string& shot_name);

}  // namespace dusky
