#include "core/base/paths.h"

#include <sys/stat.h>

#include <algorithm>
#include <cctype>

namespace dusky {
namespace {

FileIdentity identityIn(const struct stat& there) { return {there.st_dev, there.st_ino}; }

}  // namespace

std::filesystem::path wholePath(const std::filesystem::path& path) {
  std::error_code failed;
  const auto absolute = std::filesystem::absolute(path, failed);
  return (failed ? path : absolute).lexically_normal();
}

std::filesystem::path folderOf(const std::filesystem::path& path) { return path.has_parent_path() ? path.parent_path() : std::filesystem::path("."); }

std::string endingOf(const std::filesystem::path& path) {
  std::string ending = path.extension().string();
  if (!ending.empty()) ending.erase(0, 1);
  std::transform(ending.begin(), ending.end(), ending.begin(), [](unsigned char c) { return std::tolower(c); });
  return ending;
}

void linkOrCopy(const std::filesystem::path& from, const std::filesystem::path& to) {
  std::error_code failed;
  std::filesystem::create_hard_link(from, to, failed);
  if (failed) std::filesystem::copy_file(from, to, failed);
}

std::optional<FileIdentity> identityOf(const std::filesystem::path& path) {
  struct stat there {};
  return ::stat(path.c_str(), &there) == 0 ? std::optional(identityIn(there)) : std::nullopt;
}

std::optional<FileIdentity> identityOf(int file) {
  struct stat there {};
  return ::fstat(file, &there) == 0 ? std::optional(identityIn(there)) : std::nullopt;
}

}  // namespace dusky
