#pragma once
#include <filesystem>
#include <string>
#include <string_view>

#include "core/base/result.h"

namespace dusky {

/// A file under a hidden name in the folder that it is meant for, until it is whole. Gone with the object unless it was moved to its final name. It is held by
/// a lock that ends with the program: what a killed one left is told from what is being written, and removed by the next one that writes into that folder.
class TemporaryFile {
 public:
  /// `ending`: of the name, for writers that go by it. Errors: CannotWrite naming `final_path` and the reason.
  static Result<TemporaryFile> beside(const std::filesystem::path& final_path, std::string_view ending = "");
  TemporaryFile(TemporaryFile&& other) noexcept;
  TemporaryFile& operator=(TemporaryFile&&) = delete;
  ~TemporaryFile();

  const std::filesystem::path& path() const { return path_; }
  int descriptor() const { return file_; }
  /// Brings what was written to the disk and gives it its final name, in place of a file that had it. Errors: CannotWrite; what stood there stands.
  Status moveTo(const std::filesystem::path& final_path);

 private:
  TemporaryFile(std::filesystem::path path, int file) : path_(std::move(path)), file_(file) {}
  std::filesystem::path path_;
  int file_ = -1;
};

/// A name that removeLeftovers() knows, of this program.
std::string hiddenName(int number, std::string_view ending = "");

/// Removes what killed programs left in a folder; each folder once in a program's life. Never an error: what cannot be removed stays.
void removeLeftovers(const std::filesystem::path& folder);

}  // namespace dusky
