#include "core/base/temporary_file.h"

#include <fcntl.h>
#include <fmt/format.h>
#include <sys/file.h>
#include <sys/stat.h>
#include <unistd.h>

#include <atomic>
#include <cerrno>
#include <cstring>
#include <mutex>
#include <set>

#include "core/base/paths.h"

namespace dusky {
namespace {

constexpr std::string_view kPrefix = ".dusky-moth-", kMark = ".part";

Error cannotWriteTo(const std::filesystem::path& path, int why) {
  if (why == ENOENT) return cannotWrite(fmt::format("Cannot write {}: there is no folder {}.", path.string(), folderOf(path).string()));
  return cannotWrite(fmt::format("Cannot write {}: {}.", path.string(), std::strerror(why)));
}

bool isLeftover(const std::filesystem::path& path) {
  const std::string name = path.filename().string();
  return name.starts_with(kPrefix) && name.find(kMark) != std::string::npos;
}

}  // namespace

std::string hiddenName(int number, std::string_view ending) { return fmt::format("{}{}-{}{}{}", kPrefix, ::getpid(), number, kMark, ending); }

void removeLeftovers(const std::filesystem::path& folder) {
  static std::mutex mutex;
  static std::set<std::filesystem::path> seen;
  std::error_code failed;
  const auto whole = std::filesystem::weakly_canonical(folder, failed);
  const std::lock_guard lock(mutex);
  if (failed || !seen.insert(whole).second) return;
  for (auto entry = std::filesystem::directory_iterator(whole, failed); !failed && entry != std::filesystem::directory_iterator(); entry.increment(failed)) {
    if (!isLeftover(entry->path())) continue;
    const int file = ::open(entry->path().c_str(), O_RDONLY | O_CLOEXEC | O_NOFOLLOW | O_NONBLOCK);
    if (file < 0) continue;
    std::error_code stays;
    if (::flock(file, LOCK_EX | LOCK_NB) == 0) std::filesystem::remove_all(entry->path(), stays);
    ::close(file);
  }
}

Result<TemporaryFile> TemporaryFile::beside(const std::filesystem::path& final_path, std::string_view ending) {
  static std::atomic<int> count = 0;
  const std::filesystem::path folder = folderOf(final_path);
  removeLeftovers(folder);
  constexpr int kTries = 100;
  for (int i = 0; i < kTries; ++i) {
    const auto path = folder / hiddenName(++count, ending);
    const int file = ::open(path.c_str(), O_RDWR | O_CREAT | O_EXCL | O_CLOEXEC, 0644);
    if (file < 0 && errno == EEXIST) continue;
    if (file < 0) return cannotWriteTo(final_path, errno);
    (void)::flock(file, LOCK_EX | LOCK_NB);  // where a file system has none, leftovers stay
    if (stillNamed(path, file)) return TemporaryFile(path, file);
    ::close(file);
  }
  return cannotWriteTo(final_path, EEXIST);
}

TemporaryFile::TemporaryFile(TemporaryFile&& other) noexcept : path_(std::move(other.path_)), file_(std::exchange(other.file_, -1)) {}

TemporaryFile::~TemporaryFile() {
  if (file_ < 0) return;
  ::unlink(path_.c_str());
  ::close(file_);
}

Status TemporaryFile::moveTo(const std::filesystem::path& final_path) {
  struct stat before {};
  if (::stat(final_path.c_str(), &before) == 0) {
    if (::access(final_path.c_str(), W_OK) != 0) return cannotWriteTo(final_path, errno);
    (void)::fchmod(file_, before.st_mode & 07777);
  }
  if (::fsync(file_) != 0 || ::rename(path_.c_str(), final_path.c_str()) != 0) return cannotWriteTo(final_path, errno);
  ::close(std::exchange(file_, -1));
  // The new name too has to reach the disk.
  if (const int folder = ::open(folderOf(final_path).c_str(), O_RDONLY | O_DIRECTORY | O_CLOEXEC); folder >= 0) ::fsync(folder), ::close(folder);
  return Done{};
}

}  // namespace dusky
