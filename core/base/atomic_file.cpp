#include "core/base/atomic_file.h"

#include <fcntl.h>
#include <fmt/format.h>
#include <sys/stat.h>
#include <unistd.h>

#include <algorithm>
#include <cerrno>
#include <chrono>
#include <cstring>
#include <thread>

#include "core/base/paths.h"
#include "core/base/temporary_file.h"

namespace dusky {
namespace {

namespace fs = std::filesystem;

Error writeError(const fs::path& path, std::string_view why) { return cannotWrite(fmt::format("Cannot write {}: {}.", path.string(), why)); }

bool writeAll(int file, std::string_view bytes) {
  while (!bytes.empty()) {
    const ssize_t written = ::write(file, bytes.data(), bytes.size());
    if (written < 0 && errno == EINTR) continue;
    if (written < 0) return false;
    bytes.remove_prefix(static_cast<std::size_t>(written));
  }
  return true;
}

/// A pipe opens once somebody reads it: it is given a while.
int openInPlace(const fs::path& path) {
  constexpr int kTries = 200;
  for (int i = 0;; ++i) {
    const int file = ::open(path.c_str(), O_WRONLY | O_NONBLOCK | O_CLOEXEC);
    if (file >= 0) ::fcntl(file, F_SETFL, ::fcntl(file, F_GETFL) & ~O_NONBLOCK);
    if (file >= 0 || errno != ENXIO || i == kTries) return file;
    std::this_thread::sleep_for(std::chrono::milliseconds(50));
  }
}

Status writeInPlace(const fs::path& path, std::string_view bytes) {
  const int file = openInPlace(path);
  if (file < 0) return writeError(path, errno == ENXIO ? "nobody reads this pipe" : std::strerror(errno));
  const bool written = writeAll(file, bytes);
  const int why = errno;
  const bool closed = ::close(file) == 0;
  return written && closed ? Status(Done{}) : writeError(path, std::strerror(written ? errno : why));
}

/// Devices, pipes, and what the system only lends a name (/dev/stdout): nothing can be put in their place.
bool isWrittenInPlace(const fs::path& path) {
  struct stat there {};
  if (::stat(path.c_str(), &there) != 0) return false;
  const std::string name = wholePath(path).string();
  return (!S_ISREG(there.st_mode) && !S_ISDIR(there.st_mode)) || name.starts_with("/dev/") || name.starts_with("/proc/");
}

/// Where a name leads: through its links, also to a file that is not there yet.
Result<fs::path> behindLinks(fs::path path) {
  constexpr int kMostLinks = 40;
  for (int i = 0; i < kMostLinks; ++i) {
    std::error_code failed;
    if (!fs::is_symlink(fs::symlink_status(path, failed))) return path;
    const fs::path target = fs::read_symlink(path, failed);
    if (failed) return writeError(path, failed.message());
    path = target.is_absolute() ? target : path.parent_path() / target;
  }
  return writeError(path, "its links go round in a circle");
}

/// The nearest folder above a path that is there.
fs::path nearestFolder(const fs::path& path) {
  std::error_code failed;
  fs::path above = wholePath(path);
  while (!above.empty() && above != above.root_path() && !fs::exists(above, failed)) above = above.parent_path();
  return above;
}

Status checkName(const fs::path& path) {
  constexpr std::size_t kLongest = 255;
  for (const fs::path& part : path) {
    if (part.string().size() > kLongest) return cannotWrite(fmt::format("Cannot write {}…: a name may have {} bytes.", part.string().substr(0, 60), kLongest));
  }
  return Done{};
}

Status checkFolderTakes(const fs::path& folder, const fs::path& for_path) {
  std::error_code failed;
  if (!fs::exists(folder, failed)) return writeError(for_path, fmt::format("there is no folder {}", folder.string()));
  if (!fs::is_directory(folder, failed)) return writeError(for_path, fmt::format("{} is a file, not a folder", folder.string()));
  if (::access(folder.c_str(), W_OK | X_OK) != 0) return writeError(for_path, fmt::format("no permission to write into the folder {}", folder.string()));
  return Done{};
}

}  // namespace

Status writeFileAtomically(const fs::path& path, std::string_view bytes) {
  if (isWrittenInPlace(path)) return writeInPlace(path, bytes);
  const auto final_path = behindLinks(path);
  if (!final_path.ok()) return final_path.error();
  auto part = TemporaryFile::beside(*final_path);
  if (!part.ok()) return part.error();
  if (!writeAll(part->descriptor(), bytes)) return writeError(path, std::strerror(errno));
  return part->moveTo(*final_path);
}

Status checkReadable(const fs::path& path) {
  struct stat there {};
  if (::stat(path.c_str(), &there) != 0) {
    if (errno == ENOENT || errno == ENOTDIR) return unreadable(fmt::format("There is no file {}. Check the path.", path.string()));
    return unreadable(fmt::format("Cannot read {}: {}.", path.string(), std::strerror(errno)));
  }
  if (S_ISDIR(there.st_mode)) return unreadable(fmt::format("{} is a folder, not a file.", path.string()));
  if (!S_ISREG(there.st_mode)) return unreadable(fmt::format("{} is a pipe or a device; name a file.", path.string()));
  if (::access(path.c_str(), R_OK) != 0) return unreadable(fmt::format("Cannot read {}: {}.", path.string(), std::strerror(errno)));
  return Done{};
}

Result<std::string> readFile(const fs::path& path, std::uint64_t most) {
  if (const Status fine = checkReadable(path); !fine.ok()) return fine.error();
  const int file = ::open(path.c_str(), O_RDONLY | O_CLOEXEC | O_NONBLOCK);
  if (file < 0) return unreadable(fmt::format("Cannot read {}: {}.", path.string(), std::strerror(errno)));
  std::string bytes;
  std::string block(std::size_t{1} << 20, '\0');
  ssize_t count = 0;
  while (bytes.size() <= most && ((count = ::read(file, block.data(), block.size())) > 0 || (count < 0 && errno == EINTR)))
    bytes.append(block.data(), static_cast<std::size_t>(std::max<ssize_t>(0, count)));
  const int why = errno;
  ::close(file);
  if (count < 0) return unreadable(fmt::format("Cannot read {}: {}.", path.string(), std::strerror(why)));
  if (bytes.size() > most) return unreadable(fmt::format("{} is larger than {} MB; that is no such file.", path.string(), most >> 20));
  return bytes;
}

Status checkOutputFile(const fs::path& path, const std::vector<fs::path>& inputs) {
  std::error_code failed;
  if (const Status fine = checkName(path); !fine.ok()) return fine;
  for (const fs::path& input : inputs) {
    if (!input.empty() && fs::equivalent(path, input, failed))
      return invalidInput(fmt::format("{} is read by this very command; writing it would destroy it. Choose another name.", path.string()));
  }
  if (isWrittenInPlace(path)) return Done{};
  const auto final_path = behindLinks(path);
  if (!final_path.ok()) return final_path.error();
  if (fs::is_directory(*final_path, failed)) return writeError(path, "there is a folder of that name");
  if (fs::exists(*final_path, failed) && ::access(final_path->c_str(), W_OK) != 0) return writeError(path, std::strerror(errno));
  return checkFolderTakes(folderOf(*final_path), path);
}

Status checkOutputFolder(const fs::path& path) {
  std::error_code failed;
  if (path.empty()) return invalidInput("Name a folder for the results.");
  if (const Status fine = checkName(path); !fine.ok()) return fine;
  const auto absolute = fs::absolute(path, failed);
  if (failed) return cannotWrite("The working directory is gone; change into another one.");
  if (fs::is_symlink(fs::symlink_status(absolute, failed)) && !fs::exists(absolute, failed))
    return cannotWrite(fmt::format("Cannot make the folder {}: it is a link that leads nowhere.", path.string()));
  return checkFolderTakes(nearestFolder(absolute), path);
}

Status makeFolder(const fs::path& path) {
  if (const Status fine = checkOutputFolder(path); !fine.ok()) return fine;
  std::error_code failed;
  fs::create_directories(path, failed);
  if (failed && !fs::is_directory(path)) return cannotWrite(fmt::format("Cannot make the folder {}: {}.", path.string(), failed.message()));
  return Done{};
}

}  // namespace dusky
