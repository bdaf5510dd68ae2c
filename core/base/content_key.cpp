#include "core/base/content_key.h"

#include <fmt/format.h>
#include <xxhash.h>

#include <bit>

namespace dusky {

std::string printOfBytes(std::string_view bytes) { return fmt::format("{:016x}", XXH3_64bits(bytes.data(), bytes.size())); }

KeyBuilder& KeyBuilder::add(std::string_view text) {
  add(static_cast<std::int64_t>(text.size()));
  bytes_.append(text);
  return *this;
}

KeyBuilder& KeyBuilder::add(double number) { return add(std::bit_cast<std::int64_t>(number)); }

KeyBuilder& KeyBuilder::add(std::int64_t number) {
  for (int shift = 0; shift < 64; shift += 8) bytes_.push_back(static_cast<char>(static_cast<std::uint64_t>(number) >> shift));
  return *this;
}

std::string KeyBuilder::key() const { return printOfBytes(bytes_); }

}  // namespace dusky
