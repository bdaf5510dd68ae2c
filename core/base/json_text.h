#pragma once
#include <cmath>
#include <nlohmann/json.hpp>
#include <stdexcept>
#include <string>
#include <string_view>

namespace dusky {

namespace detail {
/// Builds the document, but no deeper than files of ours are: deeper ones would fill the stack.
template <class Json>
class ShallowDocument : public nlohmann::detail::json_sax_dom_parser<Json> {
  using Base = nlohmann::detail::json_sax_dom_parser<Json>;

 public:
  explicit ShallowDocument(Json& json) : Base(json, true) {}
  bool start_object(std::size_t count) { return enter() && Base::start_object(count); }
  bool start_array(std::size_t count) { return enter() && Base::start_array(count); }
  bool end_object() { return --depth_, Base::end_object(); }
  bool end_array() { return --depth_, Base::end_array(); }

 private:
  bool enter() {
    constexpr int kDeepest = 64;
    if (++depth_ > kDeepest) throw std::runtime_error("it is nested too deeply");
    return true;
  }
  int depth_ = 0;
};
}  // namespace detail

/// Parses JSON text, or CBOR bytes. Throws what the library throws, or std::runtime_error for what is nested too deeply; whyUnreadable() puts either in words.
template <class Json = nlohmann::json>
Json parsedJson(const std::string& text, nlohmann::detail::input_format_t format = nlohmann::detail::input_format_t::json) {
  Json json;
  detail::ShallowDocument<Json> document(json);
  Json::sax_parse(text, &document, format);
  return json;
}

/// A number as JSON has it: null where it is unknown or without end.
inline nlohmann::json numberOrNull(double value) { return std::isfinite(value) ? nlohmann::json(value) : nlohmann::json(nullptr); }

/// What is wrong with a file that could not be parsed or read out, in words of ours: "it is no whole JSON (byte 17)", "\"width\" is missing".
std::string whyUnreadable(const std::exception& problem);

/// Text that can stand in a JSON file; names of files may be any bytes.
bool isUtf8(std::string_view text);

}  // namespace dusky
