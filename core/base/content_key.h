#pragma once
#include <cstdint>
#include <string>
#include <string_view>

namespace dusky {

/// A hash of bytes as 16 hexadecimal digits (XXH3, 64 bits).
std::string printOfBytes(std::string_view bytes);

/// Builds the key of a step: a hash of everything that may change its result (XXH3, 64 bits).
/// The order of add() calls counts; a length goes in with each text, so "ab"+"c" differs from "a"+"bc".
class KeyBuilder {
 public:
  KeyBuilder& add(std::string_view text);
  KeyBuilder& add(double number);
  KeyBuilder& add(std::int64_t number);
  KeyBuilder& add(int number) { return add(static_cast<std::int64_t>(number)); }
  KeyBuilder& add(bool flag) { return add(static_cast<std::int64_t>(flag)); }
  /// 16 hexadecimal digits.
  std::string key() const;

 private:
  std::string bytes_;
};

}  // namespace dusky
