#include "core/project/project_store.h"

#include <fmt/format.h>
#include <sqlite3.h>
#include <unistd.h>

namespace dusky {
namespace {

constexpr int kApplicationId = 0x6d6f7468;  // "moth"
constexpr int kVersion = 1;

constexpr const char* kSchema =
    "CREATE TABLE document (id INTEGER PRIMARY KEY CHECK (id = 1), json TEXT NOT NULL);"
    "CREATE TABLE result (number INTEGER PRIMARY KEY AUTOINCREMENT, step TEXT NOT NULL, key TEXT NOT NULL, made TEXT NOT NULL DEFAULT CURRENT_TIMESTAMP,"
    " bytes BLOB NOT NULL, UNIQUE (step, key));";

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
  ~Database() { sqlite3_close(handle); }
  bool run(const char* sql) { return sqlite3_exec(handle, sql, nullptr, nullptr, nullptr) == SQLITE_OK; }
  std::string reason() const { return sqlite3_errmsg(handle); }
  int pragma(const char* name) {
    Statement statement(handle, fmt::format("PRAGMA {}", name).c_str());
    return statement.row() ? statement.integer(0) : -1;
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

}  // namespace

ProjectStore::ProjectStore(std::filesystem::path path) : path_(std::move(path)), database_(std::make_unique<Database>()) {}
ProjectStore::~ProjectStore() = default;

Result<std::unique_ptr<ProjectStore>> ProjectStore::create(const std::filesystem::path& path, const Document& document) {
  std::filesystem::path part = path;
  part += fmt::format(".part{}", ::getpid());
  std::error_code ignored;
  std::filesystem::remove(part, ignored);
  const auto fail = [&](const std::string& why) {
    std::filesystem::remove(part, ignored);
    return cannotWrite(fmt::format("Cannot write the project {}: {}.", path.string(), why));
  };
  {
    ProjectStore fresh(part);
    Database& database = *fresh.database_;
    if (sqlite3_open(part.c_str(), &database.handle) != SQLITE_OK) return fail(database.reason());
    const std::string head = fmt::format("PRAGMA application_id = {}; PRAGMA user_version = {};", kApplicationId, kVersion);
    if (!database.run(head.c_str()) || !database.run(kSchema)) return fail(database.reason());
    if (const Status saved = fresh.saveDocument(document); !saved.ok()) return fail(database.reason());
  }
  std::filesystem::rename(part, path, ignored);
  if (ignored) return fail(ignored.message());
  for (const char* beside : {"-wal", "-shm"}) std::filesystem::remove(path.string() + beside, ignored);  // of the file that was replaced
  return open(path);
}

Result<std::unique_ptr<ProjectStore>> ProjectStore::open(const std::filesystem::path& path) {
  std::error_code failed;
  if (!std::filesystem::is_regular_file(path, failed)) return unreadable(fmt::format("There is no project file {}.", path.string()));
  std::unique_ptr<ProjectStore> store(new ProjectStore(path));
  Database& database = *store->database_;
  if (sqlite3_open_v2(path.c_str(), &database.handle, SQLITE_OPEN_READWRITE, nullptr) != SQLITE_OK) {
    return unreadable(fmt::format("Cannot open the project {}: {}.", path.string(), database.reason()));
  }
  sqlite3_busy_timeout(database.handle, 2000);
  if (database.pragma("application_id") != kApplicationId) return unreadable(fmt::format("{} is not a Dusky Moth project.", path.string()));
  if (database.pragma("user_version") > kVersion) return unreadable(fmt::format("{} was written by a newer Dusky Moth; open it there.", path.string()));
  database.run("PRAGMA journal_mode = WAL; PRAGMA synchronous = NORMAL;");
  if (const auto document = store->document(); !document.ok()) return document.error();
  return store;
}

Result<Document> ProjectStore::document() const {
  const std::lock_guard lock(mutex_);
  Statement read(database_->handle, "SELECT json FROM document WHERE id = 1");
  if (!read.row()) return unreadable(fmt::format("{} is damaged: {}.", path_.string(), database_->reason()));
  return documentFromJson(read.bytes(0));
}

Status ProjectStore::saveDocument(const Document& document) {
  const std::string json = documentToJson(document);
  const std::lock_guard lock(mutex_);
  Transaction transaction(*database_);
  const bool written =
      Statement(database_->handle, "INSERT INTO document (id, json) VALUES (1, ?) ON CONFLICT (id) DO UPDATE SET json = excluded.json").text(1, json).run();
  if (!written || !transaction.commit()) return cannotWrite(fmt::format("Cannot save {}: {}.", path_.string(), database_->reason()));
  return Done{};
}

Status ProjectStore::saveResult(const std::string& step, const std::string& key, const std::string& bytes) {
  const std::lock_guard lock(mutex_);
  Transaction transaction(*database_);
  const bool written =
      Statement(database_->handle, "INSERT OR REPLACE INTO result (step, key, bytes) VALUES (?, ?, ?)").text(1, step).text(2, key).blob(3, bytes).run() &&
      Statement(database_->handle,
                "DELETE FROM result WHERE step = ?1 AND number NOT IN (SELECT number FROM result WHERE step = ?1 ORDER BY number DESC LIMIT ?2)")
          .text(1, step)
          .number(2, kPerStep)
          .run();
  if (!written || !transaction.commit()) return cannotWrite(fmt::format("Cannot save into {}: {}.", path_.string(), database_->reason()));
  return Done{};
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
  return read.bytes(0);
}

}  // namespace dusky
