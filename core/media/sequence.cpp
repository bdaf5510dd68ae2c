#include "core/media/sequence.h"

#include <fmt/format.h>
#include <unistd.h>

#include <algorithm>
#include <cctype>
#include <map>
#include <vector>

#include "core/base/paths.h"
#include "core/media/footage.h"

namespace dusky {
namespace {

namespace fs = std::filesystem;

/// "quay.0998.exr" is prefix "quay.", number 998, ending ".exr": the last run of digits before the ending. A minus counts where it stands behind a separator:
/// "quay.-003.exr" is frame -3, "quay-003.exr" frame 3.
struct Numbered {
  std::string prefix, ending;
  std::int64_t number = 1;
};

Numbered splitName(const fs::path& file) {
  constexpr std::size_t kMostDigits = 18;
  const std::string stem = file.stem().string();
  const auto digit = [&](std::size_t at) { return std::isdigit(static_cast<unsigned char>(stem[at])) != 0; };
  std::size_t end = stem.size();
  while (end > 0 && !digit(end - 1)) --end;
  std::size_t begin = end;
  while (begin > 0 && end - begin < kMostDigits && digit(begin - 1)) --begin;
  const bool negative = begin < end && begin > 1 && stem[begin - 1] == '-' && (stem[begin - 2] == '.' || stem[begin - 2] == '_');
  Numbered name{stem.substr(0, negative ? begin - 1 : begin), stem.substr(end) + file.extension().string(), 1};
  if (end > begin) name.number = (negative ? -1 : 1) * std::stoll(stem.substr(begin, end - begin));
  return name;
}

using Files = std::map<std::int64_t, fs::path>;
struct Group {
  Files files;
  std::pair<fs::path, fs::path> twice;  ///< Two files of one number; empty: none.
};
using Groups = std::map<std::pair<std::string, std::string>, Group>;

Groups groupPictures(const fs::path& folder) {
  Groups groups;
  std::error_code failed;
  for (const auto& entry : fs::directory_iterator(folder, failed)) {
    if (!isPictureFile(entry.path()) || entry.path().filename().string().starts_with(".") || !entry.is_regular_file(failed)) continue;
    const Numbered name = splitName(entry.path());
    Group& group = groups[{name.prefix, name.ending}];
    const auto [there, fresh] = group.files.emplace(name.number, entry.path());
    if (!fresh && group.twice.first.empty()) group.twice = std::minmax(there->second, entry.path());
  }
  return groups;
}

/// Frame numbers are plain numbers. Longer ones (a time in seconds or as a date) count within their billion; of files that lie in several, and of numbers that
/// stand twice, nothing can be made.
Result<Sequence> sequenceOf(const fs::path& path, Group group) {
  constexpr std::int64_t kBillion = 1'000'000'000;
  if (!group.twice.first.empty())
    return unreadable(
        fmt::format("{} and {} have the same number. Move one of them elsewhere.", group.twice.first.string(), group.twice.second.filename().string()));
  Sequence sequence{path, {}};
  const std::int64_t billion = group.files.begin()->first / kBillion;
  for (auto& [number, file] : group.files) {
    if (number / kBillion != billion) return unreadable(fmt::format("{}: its number is too far from the first one's. Rename the files.", file.string()));
    sequence.files.emplace(static_cast<int>(number % kBillion), std::move(file));
  }
  return sequence;
}

}  // namespace

Result<Sequence> findSequence(const fs::path& path) {
  std::error_code failed;
  const bool folder = fs::is_directory(path, failed);
  const fs::path where = folder ? path : folderOf(path);
  if (::access(where.c_str(), R_OK | X_OK) != 0) return unreadable(fmt::format("No permission to look into the folder {}.", where.string()));
  Groups groups = groupPictures(where);
  if (!folder) {
    const Numbered name = splitName(path);
    const auto found = groups.find({name.prefix, name.ending});
    if (found == groups.end()) return unreadable(fmt::format("{} is not a readable picture.", path.string()));
    return sequenceOf(path, std::move(found->second));
  }
  if (groups.empty()) return unreadable(fmt::format("{} holds no PNG, JPEG, TIFF, DPX or EXR pictures.", path.string()));
  if (groups.size() == 1) return sequenceOf(path, std::move(groups.begin()->second));
  const auto& [a, b] = std::pair{*groups.begin(), *std::next(groups.begin())};
  return unreadable(fmt::format("{} holds more than one sequence ({} and {}); name one of its files instead.", path.string(),
                                a.second.files.begin()->second.filename().string(), b.second.files.begin()->second.filename().string()));
}

}  // namespace dusky
