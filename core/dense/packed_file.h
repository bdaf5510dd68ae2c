#pragma once
#include <cstring>
#include <filesystem>
#include <nlohmann/json.hpp>
#include <string>

#include "core/base/result.h"

namespace dusky {

/// A file of a cache: a description, numbers as the machine has them, and a print of both, so that a damaged one is known.
struct PackedFile {
  nlohmann::json head;
  std::string body;
};

/// Takes it along, for a copy of it may not fit into memory. Errors: CannotWrite.
Status writePacked(const std::filesystem::path& path, PackedFile file);
/// Errors: Unreadable: there is none, it is of another kind, or damaged.
Result<PackedFile> readPacked(const std::filesystem::path& path);
/// The description alone. Errors: the same, but for damage behind it.
Result<nlohmann::json> readPackedHead(const std::filesystem::path& path);

/// Puts values behind what is there, and takes them from a place on, which is moved along; false where there are not enough.
template <class Values>
void pack(std::string& body, const Values& values) {
  body.append(reinterpret_cast<const char*>(values.data()), values.size() * sizeof(values[0]));
}
template <class Values>
bool unpack(const std::string& body, std::size_t& at, Values& values, std::size_t count) {
  constexpr std::size_t kEach = sizeof(values[0]);
  if (count > (body.size() - at) / kEach) return false;
  values.resize(count);
  if (count > 0) std::memcpy(static_cast<void*>(values.data()), body.data() + at, count * kEach);
  at += count * kEach;
  return true;
}

}  // namespace dusky
