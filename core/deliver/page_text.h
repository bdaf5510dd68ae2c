#pragma once
#include <string>

namespace dusky {

/// Text as it may stand in a page.
std::string forPage(const std::string& text);
/// A whole page that needs nothing else: heading and body, in the program's own colours.
std::string pageOf(const std::string& heading, const std::string& body);

}  // namespace dusky
