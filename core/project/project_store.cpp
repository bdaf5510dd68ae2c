#include "core/project/project_store.h"

#include <fmt/format.h>
#include <sqlite3.h>
#include <unistd.h>

#include <algorithm>
#include <array>

#include "core/base/atomic_file.h"
#include "core/base/content_key.h"
#include "core/base/log.h"
#include "core/base/paths.h"
#include "core/base/temporary_file.h"

namespace dusky {
namespace {

constexpr int kApplicationId = 0x6d6f7468;  // "moth"
constexpr int kVersion = 2;

constexpr const char* kSchema =
    "CREATE TABLE document (id INTEGER PRIMARY KEY CHECK (id = 1), json TEXT NOT NULL);"
    "CREATE TABLE result (number INTEGER PRIMARY KEY AUTOINCREMENT, step TEXT NOT NULL, key TEXT NOT NULL, made TEXT NOT NULL DEFAULT CURRENT_TIMESTAMP,"
    " bytes BLOB NOT NULL, UNIQUE (step, key));"
    "CREATE TABLE note (name TEXT PRIMARY KEY, value TEXT NOT NULL);";

constexpr const char* kReadDocument = "SELECT json FROM document WHERE id = 1";
constexpr const char* kReadNote = "SELECT value FROM note WHERE name = ?";
constexpr const char* kMadeByCommand = "document of a command";
constexpr const char* kPrintOfDocument = "print of the document";

/// Stored results begin with the print of their bytes: a disk that gives back others is noticed. Those of early projects have none.
constexpr std::string_view kPrinted = "print:";
constexpr std::size_t kHeadLength = kPrinted.size() + 16;
std::string withPrint(const std::string& bytes) { return std::string(kPrinted) + printOfBytes(bytes) + bytes; }
std::optional<std::string> withoutPrint(std::string stored) {
  if (!stored.starts_with(kPrinted)) return stored;
  if (stored.size() < kHeadLength) return std::nullopt;
  std::string bytes = stored.substr(kHeadLength);
  return stored.compare(kPrinted.size(), 16, printOfBytes(bytes)) == 0 ? std::optional(std::move(bytes)) : std::nullopt;
}

/// What brings a database of version 1, 2 … to the next one. docs/formats.md tells what each added.
constexpr std::array<const char*, kVersion - 1> kMigrations = {"CREATE TABLE note (name TEXT PRIMARY KEY, value TEXT NOT NULL);"};

/// SQLite's codes in words of ours.
std::string plainReason(int code) {
  switch (code & 0xff) {
    case SQLITE_FULL: return "the disk is full";
    case SQLITE_IOERR: return "the disk reports an error";
    case SQLITE_READONLY: return "it may not be written";
    case SQLITE_BUSY:
    case SQLITE_LOCKED: return "another program is writing it";
    case SQLITE_CANTOPEN: return "no permission, or no such folder";
    case SQLITE_CORRUPT: return "its contents are damaged";
    case SQLITE_NOTADB: return "it is no project";
    case SQLITE_NOMEM: return "memory is full";
    case SQLITE_TOOBIG: return "it is too large for one project";
    case SQLITE_OK:
    case SQLITE_ROW:
    case SQLITE_DONE: return "something it should hold is missing";
    default: return sqlite3_errstr(code);
  }
}

/// One prepared statement; finalised with the object.
class Statement {
 public:
  Statement(sqlite3* database, const char* sql) { sqlite3_prepare_v2(database, sql, -1, &statement_, nullptr); }
  ~Statement() { sqlite3_finalize(statement_); }
  Statement(const Statement&) = delete;
  Statement& operator=(const Statement&) = delete;

  Statement& text(int at, const std::string& value) {
    sqlite3_bind_text(statement_, at, value.data(), static_cast<int>(value.size()), SQLITE_TRANSIENT);
    return *this;
  }
  Statement& blob(int at, const std::string& value) {
    sqlite3_bind_blob64(statement_, at, value.data(), value.size(), SQLITE_TRANSIENT);
    return *this;
  }
  Statement& number(int at, int value) {
    sqlite3_bind_int(statement_, at, value);
    return *this;
  }
  bool row() { return statement_ && sqlite3_step(statement_) == SQLITE_ROW; }
  bool run() { return statement_ && sqlite3_step(statement_) == SQLITE_DONE; }
  std::string bytes(int column) const {
    const void* data = sqlite3_column_blob(statement_, column);
    const int size = sqlite3_column_bytes(statement_, column);
    return data ? std::string(static_cast<const char*>(data), static_cast<std::size_t>(size)) : std::string();
  }
  int integer(int column) const { return sqlite3_column_int(statement_, column); }

 private:
  sqlite3_stmt* statement_ = nullptr;
};

}  // namespace

struct ProjectStore::Database {
  sqlite3* handle = nullptr;
  bool cut_off = false;  ///< The file is shorter than it says: what is there is read.
  ~Database() { sqlite3_close(handle); }
  bool run(const char* sql) { return sqlite3_exec(handle, sql, nullptr, nullptr, nullptr) == SQLITE_OK; }
  std::string reason() const {
    logLibrary("SQLite", fmt::format("{} ({})", sqlite3_errmsg(handle), sqlite3_extended_errcode(handle)));
    return plainReason(sqlite3_errcode(handle));
  }
  int pragma(const char* name) {
    Statement statement(handle, fmt::format("PRAGMA {}", name).c_str());
    return statement.row() ? statement.integer(0) : -1;
  }
  bool putDocument(const std::string& json) {
    return Statement(handle, "INSERT INTO document (id, json) VALUES (1, ?) ON CONFLICT (id) DO UPDATE SET json = excluded.json").text(1, json).run() &&
           putNote(kPrintOfDocument, printOfBytes(json));
  }
  /// Whether all its pages are there and hang together.
  bool sound(std::uintmax_t file_size) {
    if (cut_off || file_size < static_cast<std::uintmax_t>(pragma("page_count")) * static_cast<std::uintmax_t>(pragma("page_size"))) return false;
    Statement check(handle, "PRAGMA quick_check(1)");
    return check.row() && check.bytes(0) == "ok";
  }
  bool putResult(const std::string& step, const std::string& key, const std::string& bytes) {
    return Statement(handle, "INSERT OR REPLACE INTO result (step, key, bytes) VALUES (?, ?, ?)").text(1, step).text(2, key).blob(3, withPrint(bytes)).run() &&
           Statement(handle, "DELETE FROM result WHERE step = ?1 AND number NOT IN (SELECT number FROM result WHERE step = ?1 ORDER BY number DESC LIMIT ?2)")
               .text(1, step)
               .number(2, kPerStep)
               .run();
  }
  bool putNote(const std::string& name, const std::string& value) {
    return Statement(handle, "INSERT INTO note (name, value) VALUES (?, ?) ON CONFLICT (name) DO UPDATE SET value = excluded.value")
        .text(1, name)
        .text(2, value)
        .run();
  }
  std::optional<std::string> text(const char* sql, const std::string& parameter = {}) {
    Statement read(handle, sql);
    if (!parameter.empty()) read.text(1, parameter);
    return read.row() ? std::optional(read.bytes(0)) : std::nullopt;
  }
};

namespace {

/// Rolls back unless committed.
template <class Database>
class Transaction {
 public:
  explicit Transaction(Database& database) : database_(database), open_(database.run("BEGIN IMMEDIATE")) {}
  ~Transaction() {
    if (open_) database_.run("ROLLBACK");
  }
  bool commit() {
    if (!open_ || !database_.run("COMMIT")) return false;
    open_ = false;
    return true;
  }

 private:
  Database& database_;
  bool open_;
};

/// All steps or none. Each leaves a database that the next one takes.
template <class Database>
bool migrate(Database& database) {
  const int version = database.pragma("user_version");
  if (version >= kVersion) return version == kVersion;
  Transaction transaction(database);
  for (int from = std::max(1, version); from < kVersion; ++from) {
    if (!database.run(kMigrations[static_cast<std::size_t>(from - 1)])) return false;
  }
  return database.run(fmt::format("PRAGMA user_version = {};", kVersion).c_str()) && transaction.commit();
}

std::string uriOf(const std::filesystem::path& path, std::string_view parameters) {
  std::string uri = "file:";
  for (const char c : std::filesystem::absolute(path).string()) uri += c == '?' || c == '#' || c == '%' ? fmt::format("%{:02x}", c) : std::string(1, c);
  return uri + std::string(parameters);
}

/// What an earlier program left in the log beside a project goes into the project. Nobody else writes it meanwhile: its lock is ours.
void foldLogIn(const std::filesystem::path& path) {
  std::error_code failed;
  if (!std::filesystem::exists(path, failed)) return;
  sqlite3* handle = nullptr;
  if (sqlite3_open_v2(path.c_str(), &handle, SQLITE_OPEN_READWRITE, nullptr) == SQLITE_OK)
    sqlite3_exec(handle, "PRAGMA wal_checkpoint(TRUNCATE); PRAGMA journal_mode = DELETE;", nullptr, nullptr, nullptr);
  sqlite3_close(handle);
  // A log that could not be read belongs to no file that could be either.
  for (const char* beside : {"-wal", "-shm", "-journal"}) std::filesystem::remove(path.string() + beside, failed);
}

}  // namespace

ProjectStore::ProjectStore(std::filesystem::path path) : path_(std::move(path)), database_(std::make_unique<Database>()) {}

ProjectStore::~ProjectStore() = default;

Result<std::unique_ptr<ProjectStore>> ProjectStore::create(const std::filesystem::path& path, const Document& document,
                                                           const std::vector<StoredResult>& results) {
  const auto fail = [&](const std::string& why) { return cannotWrite(fmt::format("Cannot write the project {}: {}.", path.string(), why)); };
  const FileLock::Taken taken = FileLock::take(path);
  if (!taken.lock) return fail(taken.held_by_other ? fmt::format("it is open in another Dusky Moth ({})", taken.holder) : taken.holder);
  auto part = TemporaryFile::beside(path);
  if (!part.ok()) return part.error();
  {
    Database database;
    // No journal: until it has its name nobody reads it.
    if (sqlite3_open(part->path().c_str(), &database.handle) != SQLITE_OK || !database.run("PRAGMA journal_mode = OFF;")) return fail(database.reason());
    const std::string head = fmt::format("PRAGMA application_id = {}; PRAGMA user_version = {};", kApplicationId, kVersion);
    if (!database.run(head.c_str()) || !database.run(kSchema) || !database.putDocument(documentToJson(document))) return fail(database.reason());
    for (const StoredResult& result : results) {
      if (!database.putResult(result.step, result.key, result.bytes)) return fail(database.reason());
    }
  }
  foldLogIn(path);
  if (const Status moved = part->moveTo(path); !moved.ok()) return moved.error();
  return open(path);
}

/// Also a reader opens the file to write where it may: what a killed program left half done is rolled back then, as it must be before anything is read.
Status ProjectStore::connect() {
  const auto tried = [&](const std::string& name, int how) {
    sqlite3_close(database_->handle);
    const bool opened = sqlite3_open_v2(name.c_str(), &database_->handle, how, nullptr) == SQLITE_OK;
    sqlite3_busy_timeout(database_->handle, 2000);
    if (!opened) return false;
    // SQLite reads a file that is shorter than it says only when it may mend it.
    const bool mending = how == SQLITE_OPEN_READONLY && database_->cut_off;
    sqlite3_db_config(database_->handle, SQLITE_DBCONFIG_WRITABLE_SCHEMA, mending ? 1 : 0, nullptr);
    return database_->pragma("application_id") >= 0;
  };
  const auto cut_off = [&] { return database_->cut_off = (sqlite3_errcode(database_->handle) & 0xff) == SQLITE_CORRUPT; };
  const bool readable = tried(path_.string(), SQLITE_OPEN_READWRITE) || tried(path_.string(), SQLITE_OPEN_READONLY) ||
                        // In a folder that cannot be written, a log cannot be made ready: then what is in the file itself is read.
                        tried(uriOf(path_, "?immutable=1"), SQLITE_OPEN_READONLY | SQLITE_OPEN_URI) ||
                        (cut_off() && tried(path_.string(), SQLITE_OPEN_READONLY));
  if (readable && database_->pragma("application_id") == kApplicationId) return Done{};
  if (readable || (sqlite3_errcode(database_->handle) & 0xff) == SQLITE_NOTADB)
    return unreadable(fmt::format("{} is not a Dusky Moth project.", path_.string()));
  return unreadable(fmt::format("Cannot open the project {}: {}.", path_.string(), database_->reason()));
}

Result<std::unique_ptr<ProjectStore>> ProjectStore::open(const std::filesystem::path& path, Access access) {
  if (const Status fine = checkReadable(path); !fine.ok()) return fine.error();
  std::unique_ptr<ProjectStore> store(new ProjectStore(path));
  if (access == Access::Write) {
    FileLock::Taken taken = ::access(path.c_str(), W_OK) == 0 ? FileLock::take(path) : FileLock::Taken{nullptr, "the file is write-protected", false};
    store->lock_ = std::move(taken.lock);
    if (!store->lock_)
      store->read_only_ = taken.held_by_other
                              ? fmt::format(
                                    "{} is open in another Dusky Moth ({}): it is opened to be read only. Save it under another name to "
                                    "go on from it.",
                                    path.filename().string(), taken.holder)
                              : fmt::format("{} can be read only: {}. Save it under another name to go on from it.", path.filename().string(), taken.holder);
  }
  if (const Status open = store->connect(); !open.ok()) return open.error();
  Database& database = *store->database_;
  std::vector<std::string> lost;
  const auto document = store->readDocument(lost);
  const bool newer = database.pragma("user_version") > kVersion;
  if (newer && !document.ok())
    return unreadable(fmt::format("{} was written by a newer Dusky Moth, in a way this one cannot read; open it there.", path.string()));
  if (!document.ok()) return document.error();
  if (newer)
    store->openToRead("was written by a newer Dusky Moth: what this one knows of it is shown");
  else if (!lost.empty())
    store->openToRead(fmt::format("is damaged: what it says of {} is lost, the rest is shown", fmt::join(lost, ", ")));
  else if (std::error_code failed; !database.sound(std::filesystem::file_size(path, failed)))
    store->openToRead("is damaged: what can be read of it is shown");
  if (store->writable()) {
    // Between two changes a project is one file, which may be copied, moved or replaced at any time; no log of it stays beside it.
    database.run("PRAGMA journal_mode = DELETE;");
    if (!migrate(database)) return unreadable(fmt::format("Cannot bring the project {} up to date: {}.", path.string(), database.reason()));
  }
  store->rememberFile();
  return store;
}

void ProjectStore::openToRead(const std::string& why) {
  lock_.reset();
  read_only_ = fmt::format("{} {}. Save it under another name to go on from it.", path_.filename().string(), why);
}

void ProjectStore::rememberFile() {
  identity_ = identityOf(path_);
  data_version_ = database_->pragma("data_version");
}

bool ProjectStore::changedOutside() const {
  if (identityOf(path_) != identity_) return true;
  const std::lock_guard lock(mutex_);
  return database_->pragma("data_version") != data_version_;
}

Status ProjectStore::refuseIfChanged() const {
  if (!writable()) return cannotWrite(read_only_.empty() ? fmt::format("{} was opened to be read only.", path_.string()) : read_only_);
  if (!changedOutside()) return Done{};
  std::error_code failed;
  return cannotWrite(
      fmt::format("{} was {} by another program since it was opened: nothing more is saved into it. Save this shot under another name, or open "
                  "the project anew.",
                  path_.string(), std::filesystem::exists(path_, failed) ? "changed" : "removed"));
}

Result<Document> ProjectStore::document() const {
  std::vector<std::string> lost;
  return readDocument(lost);
}

Result<Document> ProjectStore::readDocument(std::vector<std::string>& lost) const {
  const std::lock_guard lock(mutex_);
  const auto json = database_->text(kReadDocument);
  if (!json) return unreadable(fmt::format("{} is damaged: {}.", path_.string(), database_->reason()));
  const auto print = database_->text(kReadNote, kPrintOfDocument);
  auto document = documentFromJson(*json, &lost);
  if (document.ok() && lost.empty() && print && print != printOfBytes(*json)) lost.push_back("some setting that cannot be told");
  return document;
}

/// One change: all of it or none, and none where the file is not ours to change.
template <class Write>
Status ProjectStore::save(const Write& write) {
  if (const Status fine = refuseIfChanged(); !fine.ok()) return fine;
  const std::lock_guard lock(mutex_);
  Transaction transaction(*database_);
  if (!write() || !transaction.commit()) return cannotWrite(fmt::format("Cannot save into {}: {}.", path_.string(), database_->reason()));
  return Done{};
}

Status ProjectStore::saveDocument(const Document& document) {
  return save([&, json = documentToJson(document)] { return database_->putDocument(json); });
}

Status ProjectStore::saveResult(const std::string& step, const std::string& key, const std::string& bytes) {
  return save([&] { return database_->putResult(step, key, bytes); });
}

Status ProjectStore::saveNote(const std::string& name, const std::string& value) {
  return save([&] { return database_->putNote(name, value); });
}

Status ProjectStore::markMadeByCommand() {
  return save([&] { return database_->putNote(kMadeByCommand, database_->text(kReadDocument).value_or("")); });
}

bool ProjectStore::madeByCommand() const {
  const auto mark = note(kMadeByCommand);
  const std::lock_guard lock(mutex_);
  return mark && mark == database_->text(kReadDocument);
}

bool ProjectStore::has(const std::string& step, const std::string& key) const {
  const std::lock_guard lock(mutex_);
  Statement find(database_->handle, "SELECT 1 FROM result WHERE step = ? AND key = ?");
  return find.text(1, step).text(2, key).row();
}

std::optional<std::string> ProjectStore::result(const std::string& step, const std::string& key) const {
  const std::lock_guard lock(mutex_);
  Statement read(database_->handle, "SELECT bytes FROM result WHERE step = ? AND key = ?");
  if (!read.text(1, step).text(2, key).row()) return std::nullopt;
  return withoutPrint(read.bytes(0));
}

std::optional<std::string> ProjectStore::note(const std::string& name) const {
  const std::lock_guard lock(mutex_);
  return database_->text(kReadNote, name);
}

}  // namespace dusky
