#include "core/dense/view_shelf.h"

#include <fmt/format.h>

#include "core/dense/dense_files.h"

namespace dusky {

std::filesystem::path depthMapFile(const std::filesystem::path& folder, int frame) { return folder / fmt::format("depth_{:04}.map", frame); }

FusedViewPtr MapShelf::load(std::size_t k) {
  const auto read = readFusedView(depthMapFile(folder_, frames_[k]));
  return read.ok() && (*read)->map.frame == frames_[k] ? newest_.keep(k, *read) : nullptr;
}

Status MapShelf::put(std::size_t k, FusedViewPtr view) {
  if (!folder_.empty()) {
    if (const Status written = writeFusedView(depthMapFile(folder_, frames_[k]), *view); !written.ok()) return written;
  }
  newest_.keep(k, std::move(view));
  return Done{};
}

Result<FusedViewPtr> MapShelf::at(std::size_t k) {
  if (FusedViewPtr there = newest_.find(k)) return there;
  if (FusedViewPtr read = folder_.empty() ? nullptr : load(k)) return read;
  return unreadable(fmt::format("The depth map of frame {} went away while it was used: {}. Make the dense points again.", frames_[k],
                                depthMapFile(folder_, frames_[k]).string()));
}

}  // namespace dusky
