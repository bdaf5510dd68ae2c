#pragma once
#include <filesystem>
#include <memory>
#include <string>

namespace dusky {

/// The right to write a file, one program at a time: kept in a hidden file beside it (".shot.moth.lock"), which says who has it. It ends with the program, also
/// when that is killed. Within a program all that ask for one file share it.
class FileLock {
 public:
  struct Taken {
    std::shared_ptr<FileLock> lock;  ///< nullptr: somebody else has it, or none can be had.
    std::string holder;              ///< Who: "anna on quay-3, since 2026-11-29 10:42"; or why there is none.
    bool held_by_other = false;
  };
  static Taken take(const std::filesystem::path& path);
  /// Whether a program has it, this one too.
  static bool held(const std::filesystem::path& path);
  ~FileLock();
  FileLock(const FileLock&) = delete;
  FileLock& operator=(const FileLock&) = delete;

 private:
  FileLock(std::filesystem::path path, int file) : path_(std::move(path)), file_(file) {}
  std::filesystem::path path_;
  int file_;
};

}  // namespace dusky
