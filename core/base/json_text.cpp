#include "core/base/json_text.h"

#include <fmt/format.h>

#include "core/base/log.h"

namespace dusky {

std::string whyUnreadable(const std::exception& problem) {
  using Json = nlohmann::json;
  constexpr int kNoSuchKey = 403;
  logLibrary("reading", problem.what());
  if (const auto* cut = dynamic_cast<const Json::parse_error*>(&problem)) return fmt::format("it is damaged or not of this kind (byte {})", cut->byte);
  if (const auto* range = dynamic_cast<const Json::out_of_range*>(&problem)) {
    const std::string text = range->what();
    const auto begin = text.find('\''), end = text.rfind('\'');
    return range->id == kNoSuchKey && begin < end ? fmt::format("\"{}\" is missing", text.substr(begin + 1, end - begin - 1))
                                                  : std::string("a list is too short, or a number too large");
  }
  if (dynamic_cast<const Json::exception*>(&problem)) return "a value is of another kind than it must be";
  return problem.what();
}

bool isUtf8(std::string_view text) {
  try {
    (void)nlohmann::json(text).dump();
    return true;
  } catch (const nlohmann::json::type_error&) {
    return false;
  }
}

}  // namespace dusky
