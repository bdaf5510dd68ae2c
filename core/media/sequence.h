#pragma once
#include <filesystem>
#include <map>

#include "core/base/result.h"

namespace dusky {

/// The files of one image sequence, by their own numbers. A single picture without a number is frame 1.
struct Sequence {
  std::filesystem::path path;  ///< As the artist gave it.
  std::map<int, std::filesystem::path> files;
};

/// Finds the sequence that a file belongs to, or the only one in a folder.
/// Errors: Unreadable: no pictures, more than one sequence (named).
Result<Sequence> findSequence(const std::filesystem::path& path);

}  // namespace dusky
