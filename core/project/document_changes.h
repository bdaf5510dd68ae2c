#pragma once
#include <string>
#include <vector>

#include "core/project/document.h"

namespace dusky {

/// What was changed between two states of a shot as far as it may change a solve, in words, in the order of the steps: "focal length: 35 mm, locked",
/// "12 tracks set aside", "mask \"boat\" changed". Empty: nothing.
std::vector<std::string> changesBetween(const Document& before, const Document& after);

}  // namespace dusky
