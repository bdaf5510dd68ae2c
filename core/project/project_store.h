#pragma once
#include <filesystem>
#include <functional>
#include <map>
#include <memory>
#include <mutex>
#include <optional>
#include <string>
#include <vector>

#include "core/base/file_lock.h"
#include "core/base/paths.h"
#include "core/project/document.h"
#include "core/project/run.h"

namespace dusky {

/// One project file (.moth): the document and the results of its steps, in one SQLite database (docs/formats.md).
/// Every write is a transaction: a program that dies at any moment leaves the last whole state. One program at a time may write into it (FileLock); others
/// read. May be used by several threads.
class ProjectStore {
  struct Tables;

 public:
  enum class Access { Read, Write };

  /// What a new project is filled with, one thing after the other.
  class Filling {
   public:
    explicit Filling(Tables& tables) : tables_(tables) {}
    Status result(const std::string& step, const std::string& key, const std::string& bytes);
    Status run(const Run& run);

   private:
    Tables& tables_;
  };
  using Fill = std::function<Status(Filling&)>;

  /// Makes a new project with this document and what `fill` gives, replacing a file of that name only once the new one is whole.
  /// Errors: CannotWrite with the reason; who has the file open, where another program does.
  static Result<std::unique_ptr<ProjectStore>> create(const std::filesystem::path& path, const Document& document, const Fill& fill = {});
  /// Opens to write where that can be had, else to read only; see readOnlyBecause(). One that is damaged, or was written by a newer version, is opened to
  /// be read for what can be had of it.
  /// Errors: Unreadable: missing, no permission, not a project, nothing to be had of it.
  static Result<std::unique_ptr<ProjectStore>> open(const std::filesystem::path& path, Access access = Access::Write);
  ~ProjectStore();

  const std::filesystem::path& path() const { return path_; }
  bool writable() const { return lock_ != nullptr; }
  /// Why nothing can be saved here: a sentence; empty when it can, or when it was opened to be read.
  const std::string& readOnlyBecause() const { return read_only_; }
  /// Whether another program replaced, removed or changed the file since it was opened or last saved. False while this one is writing: it is not waited for.
  bool changedOutside() const;

  /// What can be read of it; see readOnlyBecause() for what could not.
  Result<Document> document() const;
  /// Errors: CannotWrite, also where the file was changed outside: nothing is overwritten then.
  Status saveDocument(const Document& document);
  /// Stores a step's result under its key; the newest kPerStep of each step stay, and what runs are and were made from.
  Status saveResult(const std::string& step, const std::string& key, const std::string& bytes);
  /// Whether there is such a result, without reading it.
  bool has(const std::string& step, const std::string& key) const;
  /// Nothing when there is no such result, or its bytes are not as they were stored; has() tells these apart.
  std::optional<std::string> result(const std::string& step, const std::string& key) const;
  /// The ledger, oldest run first; `damaged`: how many could not be read.
  std::vector<Run> runs(int* damaged = nullptr) const;
  /// Stores a run with its solve, as result() gives it back under "solve" and its own key.
  Status saveRun(const Run& run, const std::string& bytes);
  /// What the solve of each run takes in the file, bytes.
  std::map<int, std::int64_t> runBytes() const;
  /// Takes a run and its solve out for good.
  Status dropRun(int id);
  /// A short text kept beside the document under a name; nothing when there is none.
  std::optional<std::string> note(const std::string& name) const;
  Status saveNote(const std::string& name, const std::string& value);
  /// Marks the document that is stored now as written by a command: until somebody edits it, another run of the command may write its own.
  Status markMadeByCommand();
  /// Whether the stored document is as a command wrote it.
  bool madeByCommand() const;

  static constexpr int kPerStep = 8;

 private:
  explicit ProjectStore(std::filesystem::path path);
  Status connect();
  void openToRead(const std::string& why);
  Result<Document> readDocument(std::vector<std::string>& lost) const;
  bool changedForSure() const;
  Status refuseIfChanged() const;
  void rememberFile();
  template <class Write>
  Status save(const Write& write);
  std::filesystem::path path_;
  std::shared_ptr<FileLock> lock_;  ///< Only where it may be written.
  std::string read_only_;
  std::optional<FileIdentity> identity_;  ///< Of the file as it was opened.
  int data_version_ = 0;                  ///< SQLite's count of changes by others.
  mutable std::mutex mutex_;              ///< One thread at a time speaks to the database.
  std::unique_ptr<Tables> database_;
};

}  // namespace dusky
