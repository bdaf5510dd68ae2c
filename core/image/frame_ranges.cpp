#include "core/image/frame_ranges.h"

#include <fmt/format.h>

#include <algorithm>
#include <cstdio>
#include <sstream>

namespace dusky {

std::vector<FrameRange> rangesOf(const std::vector<int>& numbers) {
  std::vector<FrameRange> ranges;
  for (const int number : numbers) {
    if (!ranges.empty() && ranges.back().last + 1 == number)
      ranges.back().last = number;
    else
      ranges.push_back({number, number});
  }
  return ranges;
}

std::string listed(const std::vector<FrameRange>& ranges) {
  std::string text;
  for (const FrameRange& r : ranges) {
    if (!text.empty()) text += ", ";
    text += r.last > r.first ? fmt::format("{}–{}", r.first, r.last) : fmt::format("{}", r.first);
  }
  return text;
}

std::string listed(const std::vector<int>& numbers) { return listed(rangesOf(numbers)); }

Result<std::vector<FrameRange>> readRanges(const std::string& text) {
  std::string plain = text;
  const std::string dash = "–";
  for (std::size_t at = plain.find(dash); at != std::string::npos; at = plain.find(dash)) plain.replace(at, dash.size(), "-");
  std::vector<FrameRange> ranges;
  std::istringstream parts(plain);
  for (std::string part; std::getline(parts, part, ',');) {
    FrameRange range;
    int used = 0;
    const auto whole = [&] { return used > 0 && part.find_first_not_of(' ', static_cast<std::size_t>(used)) == std::string::npos; };
    const bool pair = std::sscanf(part.c_str(), "%d -%d%n", &range.first, &range.last, &used) == 2 && whole();
    if (!pair) {
      used = 0;
      if (std::sscanf(part.c_str(), "%d%n", &range.first, &used) != 1 || !whole())
        return invalidInput(fmt::format("\"{}\" is no frame and no range; frames are written like 7, 12-15.", part));
      range.last = range.first;
    }
    if (range.last < range.first) return invalidInput(fmt::format("The range \"{}\" ends before it begins.", part));
    ranges.push_back(range);
  }
  std::sort(ranges.begin(), ranges.end(), [](const FrameRange& a, const FrameRange& b) { return a.first < b.first; });
  std::vector<FrameRange> apart;
  for (const FrameRange& r : ranges) {
    if (!apart.empty() && r.first <= apart.back().last + 1)
      apart.back().last = std::max(apart.back().last, r.last);
    else
      apart.push_back(r);
  }
  return apart;
}
}  // namespace dusky
