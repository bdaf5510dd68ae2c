#pragma once
#include <cstdint>
#include <filesystem>
#include <string_view>
#include <vector>

#include "core/base/result.h"

namespace dusky {

/// Writes bytes under a temporary name beside `path`, syncs, renames. Links are followed, and the permissions of a file that is replaced stay; devices and
/// pipes are written in place. On failure a file `path` is as it was and nothing else is left.
/// Errors: CannotWrite naming the path and the system's reason.
Status writeFileAtomically(const std::filesystem::path& path, std::string_view bytes);

inline constexpr std::uint64_t kMostBytesRead = std::uint64_t{2} << 30;

/// The whole file, a regular one of no more than `most` bytes. Errors: Unreadable naming the path and what is wrong: missing, a folder, no permission, a pipe
/// or device, too large.
Result<std::string> readFile(const std::filesystem::path& path, std::uint64_t most = kMostBytesRead);
/// What is wrong with a path that should be a regular file that can be read; Done when nothing is.
Status checkReadable(const std::filesystem::path& path);

/// Whether a file can come to stand there: known before the work begins. `inputs`: files and folders that are read; none may be it.
/// Errors: InvalidInput for an input; CannotWrite: no such folder, no permission, a folder of that name, too long a name.
Status checkOutputFile(const std::filesystem::path& path, const std::vector<std::filesystem::path>& inputs = {});
/// The same for a folder that is made when it is missing, with the folders above it. Nothing is made yet.
Status checkOutputFolder(const std::filesystem::path& path);
/// Makes it. Errors: as checkOutputFolder.
Status makeFolder(const std::filesystem::path& path);

}  // namespace dusky
