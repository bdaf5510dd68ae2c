#pragma once
#include <filesystem>
#include <string_view>

#include "core/base/result.h"

namespace dusky {

/// Writes bytes under a temporary name beside `path`, syncs, renames. On failure `path` is as it was and the
/// temporary file is gone. Errors: CannotWrite naming the path and the system's reason.
Status writeFileAtomically(const std::filesystem::path& path, std::string_view bytes);

/// The whole file. Errors: Unreadable naming the path.
Result<std::string> readFile(const std::filesystem::path& path);

}  // namespace dusky
