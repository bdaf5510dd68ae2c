#include "core/project/project_store.h"

#include <fmt/format.h>
#include <unistd.h>

#include <algorithm>
#include <array>

#include "core/base/atomic_file.h"
#include "core/base/content_key.h"
#include "core/base/paths.h"
#include "core/base/temporary_file.h"
#include "core/project/database.h"

namespace dusky {
namespace {

constexpr int kApplicationId = 0x6d6f7468;  // "moth"
constexpr int kVersion = 3;

constexpr const char* kRunTable =
    "CREATE TABLE run (id INTEGER PRIMARY KEY AUTOINCREMENT, parent INTEGER NOT NULL, carried_on INTEGER NOT NULL, made TEXT NOT NULL, tracks TEXT NOT NULL,"
    " asked TEXT NOT NULL, own TEXT NOT NULL UNIQUE, document TEXT NOT NULL, summary TEXT NOT NULL, print TEXT NOT NULL);";

constexpr const char* kSchema =
    "CREATE TABLE document (id INTEGER PRIMARY KEY CHECK (id = 1), json TEXT NOT NULL);"
    "CREATE TABLE result (number INTEGER PRIMARY KEY AUTOINCREMENT, step TEXT NOT NULL, key TEXT NOT NULL, made TEXT NOT NULL DEFAULT CURRENT_TIMESTAMP,"
    " bytes BLOB NOT NULL, UNIQUE (step, key));"
    "CREATE TABLE note (name TEXT PRIMARY KEY, value TEXT NOT NULL);";  // and kRunTable

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

std::string printOfRun(const Run& run, const std::string& summary) {
  return printOfBytes(fmt::format("{}\n{}\n{}\n{}\n{}\n{}\n{}\n{}", run.parent, run.carried_on, run.made, run.keys.tracks, run.keys.asked, run.keys.own,
                                  run.document, summary));
}

/// What brings a database of version 1, 2 … to the next one. docs/formats.md tells what each added.
constexpr std::array<const char*, kVersion - 1> kMigrations = {"CREATE TABLE note (name TEXT PRIMARY KEY, value TEXT NOT NULL);", kRunTable};

}  // namespace

struct ProjectStore::Tables : Database {
  bool cut_off = false;  ///< The file is shorter than it says: what is there is read.
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
  /// What runs were made from, and what they are, stays as long as they do.
  bool putResult(const std::string& step, const std::string& key, const std::string& bytes) {
    return Statement(handle, "INSERT OR REPLACE INTO result (step, key, bytes) VALUES (?, ?, ?)").text(1, step).text(2, key).blob(3, withPrint(bytes)).run() &&
           Statement(handle,
                     "DELETE FROM result WHERE step = ?1 AND number NOT IN (SELECT number FROM result WHERE step = ?1 ORDER BY number DESC LIMIT ?2)"
                     " AND key NOT IN (SELECT own FROM run) AND key NOT IN (SELECT tracks FROM run)")
               .text(1, step)
               .number(2, kPerStep)
               .run();
  }
  bool putRun(const Run& run) {
    const std::string summary = runSummaryToJson(run.summary);
    return Statement(handle,
                     "INSERT OR REPLACE INTO run (id, parent, carried_on, made, tracks, asked, own, document, summary, print)"
                     " VALUES (?, ?, ?, ?, ?, ?, ?, ?, ?, ?)")
        .number(1, run.id)
        .number(2, run.parent)
        .number(3, run.carried_on)
        .text(4, run.made)
        .text(5, run.keys.tracks)
        .text(6, run.keys.asked)
        .text(7, run.keys.own)
        .text(8, run.document)
        .text(9, summary)
        .text(10, printOfRun(run, summary))
        .run();
  }
  bool dropRun(int id) {
    return Statement(handle, "DELETE FROM result WHERE step = 'solve' AND key = (SELECT own FROM run WHERE id = ?)").number(1, id).run() &&
           Statement(handle, "DELETE FROM run WHERE id = ?").number(1, id).run();
  }
  bool putNote(const std::string& name, const std::string& value) {
    return Statement(handle, "INSERT INTO note (name, value) VALUES (?, ?) ON CONFLICT (name) DO UPDATE SET value = excluded.value")
        .text(1, name)
        .text(2, value)
        .run();
  }
};

namespace {

/// All steps or none. Each leaves a database that the next one takes.
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

ProjectStore::ProjectStore(std::filesystem::path path) : path_(std::move(path)), database_(std::make_unique<Tables>()) {}

ProjectStore::~ProjectStore() = default;

Status ProjectStore::Filling::result(const std::string& step, const std::string& key, const std::string& bytes) {
  return tables_.putResult(step, key, bytes) ? Status(Done{}) : cannotWrite(tables_.reason());
}

Status ProjectStore::Filling::run(const Run& run) { return tables_.putRun(run) ? Status(Done{}) : cannotWrite(tables_.reason()); }

Result<std::unique_ptr<ProjectStore>> ProjectStore::create(const std::filesystem::path& path, const Document& document, const Fill& fill) {
  const auto fail = [&](const std::string& why) { return cannotWrite(fmt::format("Cannot write the project {}: {}.", path.string(), why)); };
  const FileLock::Taken taken = FileLock::take(path);
  if (!taken.lock) return fail(taken.held_by_other ? fmt::format("it is open in another Dusky Moth ({})", taken.holder) : taken.holder);
  auto part = TemporaryFile::beside(path);
  if (!part.ok()) return part.error();
  {
    Tables tables;
    // No journal: until it has its name nobody reads it.
    if (sqlite3_open(part->path().c_str(), &tables.handle) != SQLITE_OK || !tables.run("PRAGMA journal_mode = OFF;")) return fail(tables.reason());
    const std::string head = fmt::format("PRAGMA application_id = {}; PRAGMA user_version = {};", kApplicationId, kVersion);
    if (!tables.run(head.c_str()) || !tables.run(kSchema) || !tables.run(kRunTable) || !tables.putDocument(documentToJson(document)))
      return fail(tables.reason());
    if (Filling filling(tables); fill) {
      if (const Status filled = fill(filling); !filled.ok()) return fail(filled.error().message);
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
  Tables& database = *store->database_;
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
  const std::unique_lock lock(mutex_, std::try_to_lock);
  return lock && database_->pragma("data_version") != data_version_;
}

bool ProjectStore::changedForSure() const {
  const std::lock_guard lock(mutex_);
  return identityOf(path_) != identity_ || database_->pragma("data_version") != data_version_;
}

Status ProjectStore::refuseIfChanged() const {
  if (!writable()) return cannotWrite(read_only_.empty() ? fmt::format("{} was opened to be read only.", path_.string()) : read_only_);
  if (!changedForSure()) return Done{};
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

Status ProjectStore::saveRun(const Run& run, const std::string& bytes) {
  return save([&] { return database_->putRun(run) && database_->putResult("solve", run.keys.own, bytes); });
}

Status ProjectStore::dropRun(int id) {
  return save([&] { return database_->dropRun(id); });
}

std::vector<Run> ProjectStore::runs(int* damaged) const {
  const std::lock_guard lock(mutex_);
  Statement read(database_->handle, "SELECT id, parent, carried_on, made, tracks, asked, own, document, summary, print FROM run ORDER BY id");
  std::vector<Run> runs;
  while (read.row()) {
    Run run{.id = static_cast<int>(read.integer(0)), .parent = static_cast<int>(read.integer(1)), .carried_on = read.integer(2) != 0, .made = read.bytes(3)};
    run.keys = {.tracks = read.bytes(4), .asked = read.bytes(5), .own = read.bytes(6)};
    run.document = read.bytes(7);
    const std::string summary = read.bytes(8);
    run.summary = runSummaryFromJson(summary);
    if (read.bytes(9) == printOfRun(run, summary))
      runs.push_back(std::move(run));
    else if (damaged)
      ++*damaged;
  }
  return runs;
}

std::map<int, std::int64_t> ProjectStore::runBytes() const {
  const std::lock_guard lock(mutex_);
  Statement read(database_->handle, "SELECT run.id, length(bytes) FROM run JOIN result ON step = 'solve' AND key = own");
  std::map<int, std::int64_t> bytes;
  while (read.row()) bytes[static_cast<int>(read.integer(0))] = read.integer(1);
  return bytes;
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
