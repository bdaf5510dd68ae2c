#pragma once
#include <cstdint>
#include <filesystem>
#include <optional>
#include <string>

namespace dusky {

/// Absolute and without dots, the same from wherever a program runs. Of what cannot be told: as it is.
std::filesystem::path wholePath(const std::filesystem::path& path);

/// The folder that a file lies in; "." where the name says none.
std::filesystem::path folderOf(const std::filesystem::path& path);

/// What a name ends in, in small letters and without its dot: "png".
std::string endingOf(const std::filesystem::path& path);

/// A file under a second name: another name of the same bytes where the disk can, else a copy. That it fails is told by the file not being there.
void linkOrCopy(const std::filesystem::path& from, const std::filesystem::path& to);

/// Which file it is, whatever it is called.
struct FileIdentity {
  std::uint64_t device = 0, inode = 0;
  bool operator==(const FileIdentity&) const = default;
};
/// Of the file of this name, or of an open one; nothing where there is none.
std::optional<FileIdentity> identityOf(const std::filesystem::path& path);
std::optional<FileIdentity> identityOf(int file);

/// Whether the name still is that of the file that is open: another program may have taken it away.
inline bool stillNamed(const std::filesystem::path& path, int file) {
  const auto named = identityOf(path);
  return named && named == identityOf(file);
}

}  // namespace dusky
