#include "core/dense/view_shelf.h"

#include <fmt/format.h>

#include "core/base/content_key.h"
#include "core/base/paths.h"
#include "core/dense/dense_files.h"

namespace dusky {

namespace fs = std::filesystem;

static std::string beginningOf(int frame) { return fmt::format("depth_{:04}_", frame); }

std::string MapName::file() const {
  KeyBuilder key;
  for (const int other : from) key.add(other);
  return beginningOf(frame) + key.key() + ".map";
}

fs::path depthMapIn(const fs::path& folder, int frame) {
  const std::string beginning = beginningOf(frame);
  std::error_code failed;
  for (const auto& entry : fs::directory_iterator(folder, failed)) {
    const std::string name = entry.path().filename().string();
    if (name.starts_with(beginning) && name.ends_with(".map")) return entry.path();
  }
  return {};
}

void MapShelf::takeOver(std::size_t k) const {
  std::error_code failed;
  for (const fs::path& folder : earlier_) {
    if (fs::exists(fileOf(k), failed)) return;
    if (const fs::path there = folder / names_[k].file(); fs::exists(there, failed)) linkOrCopy(there, fileOf(k));
  }
}

FusedViewPtr MapShelf::load(std::size_t k) {
  takeOver(k);
  const auto read = readFusedView(fileOf(k));
  return read.ok() && (*read)->map.frame == names_[k].frame ? newest_.keep(k, *read) : nullptr;
}

Status MapShelf::put(std::size_t k, FusedViewPtr view) {
  if (!folder_.empty()) {
    if (const Status written = writeFusedView(fileOf(k), *view); !written.ok()) return written;
  }
  newest_.keep(k, std::move(view));
  return Done{};
}

Result<FusedViewPtr> MapShelf::at(std::size_t k) {
  if (FusedViewPtr there = newest_.find(k)) return there;
  if (FusedViewPtr read = folder_.empty() ? nullptr : load(k)) return read;
  return unreadable(
      fmt::format("The depth map of frame {} went away while it was used: {}. Make the dense points again.", names_[k].frame, fileOf(k).string()));
}

}  // namespace dusky
