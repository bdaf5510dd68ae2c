#include "core/media/sequence.h"

#include <fmt/format.h>

#include <cctype>
#include <vector>

#include "core/media/footage.h"

namespace dusky {
namespace {

namespace fs = std::filesystem;

/// "quay.0998.exr" is prefix "quay.", number 998, ending ".exr": the last run of digits before the ending.
struct Numbered {
  std::string prefix, ending;
  int number = 1;
};

Numbered splitName(const fs::path& file) {
  const std::string stem = file.stem().string();
  std::size_t end = stem.size();
  while (end > 0 && !std::isdigit(static_cast<unsigned char>(stem[end - 1]))) --end;
  std::size_t begin = end;
  while (begin > 0 && end - begin < 9 && std::isdigit(static_cast<unsigned char>(stem[begin - 1]))) --begin;
  Numbered name{stem.substr(0, begin), stem.substr(end) + file.extension().string(), 1};
  if (end > begin) name.number = std::stoi(stem.substr(begin, end - begin));
  return name;
}

using Groups = std::map<std::pair<std::string, std::string>, std::map<int, fs::path>>;

Groups groupPictures(const fs::path& folder) {
  Groups groups;
  std::error_code failed;
  for (const auto& entry : fs::directory_iterator(folder, failed)) {
    if (!entry.is_regular_file(failed) || !isPictureFile(entry.path())) continue;
    const Numbered name = splitName(entry.path());
    groups[{name.prefix, name.ending}][name.number] = entry.path();
  }
  return groups;
}

}  // namespace

Result<Sequence> findSequence(const fs::path& path) {
  std::error_code failed;
  const bool folder = fs::is_directory(path, failed);
  const fs::path where = folder ? path : (path.has_parent_path() ? path.parent_path() : fs::path("."));
  Groups groups = groupPictures(where);
  Sequence sequence{path, {}};
  if (!folder) {
    const Numbered name = splitName(path);
    sequence.files = std::move(groups[{name.prefix, name.ending}]);
  } else if (groups.empty()) {
    return unreadable(fmt::format("{} holds no PNG, JPEG, TIFF, DPX or EXR pictures.", path.string()));
  } else if (groups.size() > 1) {
    const auto& [a, b] = std::pair{*groups.begin(), *std::next(groups.begin())};
    return unreadable(fmt::format("{} holds more than one sequence ({} and {}); name one of its files instead.", path.string(),
                                  a.second.begin()->second.filename().string(), b.second.begin()->second.filename().string()));
  } else {
    sequence.files = std::move(groups.begin()->second);
  }
  if (sequence.files.empty()) return unreadable(fmt::format("{} is not a readable picture.", path.string()));
  return sequence;
}

}  // namespace dusky
