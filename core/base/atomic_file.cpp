#include "core/base/atomic_file.h"

#include <fcntl.h>
#include <fmt/format.h>
#include <unistd.h>

#include <cerrno>
#include <cstring>
#include <fstream>
#include <iterator>

namespace dusky {
namespace {

bool writeAll(int file, std::string_view bytes) {
  while (!bytes.empty()) {
    const ssize_t written = ::write(file, bytes.data(), bytes.size());
    if (written < 0 && errno == EINTR) continue;
    if (written < 0) return false;
    bytes.remove_prefix(static_cast<std::size_t>(written));
  }
  return ::fsync(file) == 0;
}

}  // namespace

Status writeFileAtomically(const std::filesystem::path& path, std::string_view bytes) {
  std::filesystem::path part = path;
  part += fmt::format(".part{}", ::getpid());
  const int file = ::open(part.c_str(), O_WRONLY | O_CREAT | O_TRUNC | O_CLOEXEC, 0644);
  if (file < 0) return cannotWrite(fmt::format("Cannot write {}: {}.", path.string(), std::strerror(errno)));
  const bool written = writeAll(file, bytes);
  const int why = errno;
  ::close(file);
  if (written && ::rename(part.c_str(), path.c_str()) == 0) return Done{};
  const int reason = written ? errno : why;
  ::unlink(part.c_str());
  return cannotWrite(fmt::format("Cannot write {}: {}.", path.string(), std::strerror(reason)));
}

Result<std::string> readFile(const std::filesystem::path& path) {
  std::error_code failed;
  if (std::filesystem::is_directory(path, failed)) return unreadable(fmt::format("{} is a folder, not a file.", path.string()));
  std::ifstream file(path, std::ios::binary);
  if (!file) return unreadable(fmt::format("Cannot read {}: {}.", path.string(), std::strerror(errno)));
  return std::string(std::istreambuf_iterator<char>(file), {});
}

}  // namespace dusky
