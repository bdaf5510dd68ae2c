#include "core/image/frame_source.h"

#include <fmt/format.h>

#include <algorithm>

namespace dusky {

bool FootageInfo::has(int frame) const { return frame >= first && frame <= last && !std::binary_search(missing.begin(), missing.end(), frame); }

Result<FrameRange> rangeIn(const FootageInfo& info, FrameRange asked) {
  if (asked.first == 0 && asked.last == 0) return FrameRange{info.first, info.last};
  if (asked.first >= info.first && asked.last <= info.last && asked.first <= asked.last) return asked;
  return invalidInput(fmt::format("Frames {}–{} are not in the footage, which has {}–{}.", asked.first, asked.last, info.first, info.last));
}

}  // namespace dusky
