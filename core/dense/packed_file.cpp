#include "core/dense/packed_file.h"

#include <fmt/format.h>

#include <bit>
#include <cstring>
#include <fstream>

#include "core/base/atomic_file.h"
#include "core/base/content_key.h"
#include "core/base/json_text.h"

namespace dusky {
namespace {

static_assert(std::endian::native == std::endian::little, "caches are written as the machine has them");

constexpr std::string_view kMark = "DMPACK1\n";
constexpr std::size_t kPrint = 16;
constexpr std::uint64_t kMostHead = 16 << 20;

Error damaged(const std::filesystem::path& path) { return unreadable(fmt::format("{} is damaged; it is made anew.", path.string())); }

}  // namespace

Status writePacked(const std::filesystem::path& path, PackedFile file) {
  const std::string head = file.head.dump();
  const auto length = static_cast<std::uint64_t>(head.size());
  std::string before(kMark);
  before.append(reinterpret_cast<const char*>(&length), sizeof(length));
  before += head;
  std::string& bytes = file.body;
  bytes.insert(0, before);
  bytes += printOfBytes(bytes);
  return writeFileAtomically(path, bytes);
}

Result<PackedFile> readPacked(const std::filesystem::path& path) {
  auto bytes = readFile(path);
  if (!bytes.ok()) return bytes.error();
  const std::size_t begins = kMark.size() + sizeof(std::uint64_t);
  if (bytes->size() < begins + kPrint || !bytes->starts_with(kMark)) return damaged(path);
  const std::string_view whole(bytes->data(), bytes->size() - kPrint);
  if (printOfBytes(whole) != std::string_view(*bytes).substr(whole.size())) return damaged(path);
  std::uint64_t length = 0;
  std::memcpy(&length, bytes->data() + kMark.size(), sizeof(length));
  if (length > whole.size() - begins) return damaged(path);
  try {
    PackedFile file{parsedJson<nlohmann::json>(bytes->substr(begins, length)), {}};
    bytes->resize(whole.size()), bytes->erase(0, begins + length);
    file.body = std::move(*bytes);
    return file;
  } catch (const std::exception&) {
    return damaged(path);
  }
}

Result<nlohmann::json> readPackedHead(const std::filesystem::path& path) {
  std::ifstream file(path, std::ios::binary);
  std::string mark(kMark.size(), '\0');
  std::uint64_t length = 0;
  if (!file.read(mark.data(), static_cast<std::streamsize>(mark.size())) || mark != kMark) return damaged(path);
  if (!file.read(reinterpret_cast<char*>(&length), sizeof(length)) || length > kMostHead) return damaged(path);
  std::string head(length, '\0');
  if (!file.read(head.data(), static_cast<std::streamsize>(length))) return damaged(path);
  try {
    return parsedJson<nlohmann::json>(head);
  } catch (const std::exception&) {
    return damaged(path);
  }
}

}  // namespace dusky
