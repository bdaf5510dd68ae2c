#pragma once
#include <filesystem>
#include <string_view>
#include <vector>

#include "core/base/result.h"

namespace dusky {

/// A hidden folder in the one that its contents are meant for, until all of them are whole. Gone with the object. It is held by a lock that ends with the
/// program: what a killed one left is removed by the next one that writes there.
class StagingFolder {
 public:
  /// Errors: CannotWrite naming `final_folder`, which must be there, and the reason.
  static Result<StagingFolder> in(const std::filesystem::path& final_folder);
  StagingFolder(StagingFolder&& other) noexcept;
  StagingFolder& operator=(StagingFolder&&) = delete;
  ~StagingFolder();

  const std::filesystem::path& path() const { return path_; }
  /// Gives files and folders in it their places in the final folder, in place of what stood there: all of them, or none. Links are followed, and the
  /// permissions of files stay. Errors: CannotWrite naming the one that cannot be placed; what stood there stands.
  Status place(const std::vector<std::filesystem::path>& names) const;
  /// Gives all of it a name in the final folder, in place of a folder that had it. Errors: CannotWrite.
  Status placeAllAs(const std::filesystem::path& name);

 private:
  StagingFolder(std::filesystem::path path, int descriptor) : path_(std::move(path)), descriptor_(descriptor) {}

  std::filesystem::path path_;
  int descriptor_ = -1;
};

/// Writes a file of a staging folder, which reaches the disk with all the others. Errors: CannotWrite naming it and the reason.
Status writeUnsynced(const std::filesystem::path& path, std::string_view bytes);

}  // namespace dusky
