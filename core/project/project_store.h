#pragma once
#include <filesystem>
#include <memory>
#include <mutex>
#include <optional>
#include <string>

#include "core/project/document.h"

namespace dusky {

/// One project file (.moth): the document and the results of its steps, in one SQLite database (docs/formats.md).
/// Every write is a transaction: a program that dies at any moment leaves the last whole state. May be used by several threads.
class ProjectStore {
 public:
  /// Makes a new project with this document, replacing a file of that name only once the new one is whole.
  /// Errors: CannotWrite with the reason.
  static Result<std::unique_ptr<ProjectStore>> create(const std::filesystem::path& path, const Document& document);
  /// Errors: Unreadable: missing, not a project, from a newer version, damaged.
  static Result<std::unique_ptr<ProjectStore>> open(const std::filesystem::path& path);
  ~ProjectStore();

  const std::filesystem::path& path() const { return path_; }
  Result<Document> document() const;
  Status saveDocument(const Document& document);
  /// Stores a step's result under its key; the newest kPerStep of each step stay.
  Status saveResult(const std::string& step, const std::string& key, const std::string& bytes);
  /// Whether there is such a result, without reading it.
  bool has(const std::string& step, const std::string& key) const;
  /// Nothing when there is no such result.
  std::optional<std::string> result(const std::string& step, const std::string& key) const;

  static constexpr int kPerStep = 8;

 private:
  struct Database;
  explicit ProjectStore(std::filesystem::path path);
  std::filesystem::path path_;
  mutable std::mutex mutex_;  ///< One thread at a time speaks to the database.
  std::unique_ptr<Database> database_;
};

}  // namespace dusky
