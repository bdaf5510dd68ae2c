#pragma once
#include <string>
#include <vector>

#include "core/image/frame_source.h"

namespace dusky {

/// Numbers (ascending, each once) with runs drawn together.
std::vector<FrameRange> rangesOf(const std::vector<int>& numbers);

/// "4, 7–9": numbers (ascending) with runs drawn together.
std::string listed(const std::vector<int>& numbers);
std::string listed(const std::vector<FrameRange>& ranges);

/// Reads "4, 7-9": ranges in ascending order, those that touch drawn together; none for an empty text.
/// Errors: InvalidInput naming the part that is neither a frame nor a range.
Result<std::vector<FrameRange>> readRanges(const std::string& text);

}  // namespace dusky
