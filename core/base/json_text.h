#pragma once
#include <cmath>
#include <limits>
#include <nlohmann/json.hpp>
#include <stdexcept>
#include <string>
#include <string_view>
#include <utility>

namespace dusky::detail {

/// Whole numbers are read as such: one that is not whole, or too large for its place, is refused; the library would cut it, or worse.
template <class Int>
struct WholeNumber {
  template <class Json>
  static void from_json(const Json& json, Int& value) {
    if (json.is_number_float()) {
      const double number = json.template get<double>();
      if (!(std::abs(number) < 9e15) || number != std::floor(number)) refuse();
      return take(static_cast<std::int64_t>(number), value);
    }
    if (json.is_number_unsigned()) return take(json.template get_ref<const std::uint64_t&>(), value);
    if (json.is_number_integer()) return take(json.template get_ref<const std::int64_t&>(), value);
    nlohmann::from_json(json, value);  // which says what else it is
  }
  template <class Json>
  static void to_json(Json& json, Int value) {
    nlohmann::to_json(json, value);
  }

 private:
  [[noreturn]] static void refuse() { throw std::runtime_error("a whole number is out of its range, or is none"); }
  template <class Read>
  static void take(Read read, Int& value) {
    if (!std::in_range<Int>(read)) refuse();
    value = static_cast<Int>(read);
  }
};

}  // namespace dusky::detail

template <>
struct nlohmann::adl_serializer<int> : dusky::detail::WholeNumber<int> {};
template <>
struct nlohmann::adl_serializer<std::uint8_t> : dusky::detail::WholeNumber<std::uint8_t> {};
template <>
struct nlohmann::adl_serializer<std::int64_t> : dusky::detail::WholeNumber<std::int64_t> {};
template <>
struct nlohmann::adl_serializer<std::uint64_t> : dusky::detail::WholeNumber<std::uint64_t> {};

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
