#pragma once
#include <sqlite3.h>

#include <cstdint>
#include <optional>
#include <string>

namespace dusky {

/// One prepared statement; finalised with the object.
class Statement {
 public:
  Statement(sqlite3* database, const char* sql) { sqlite3_prepare_v2(database, sql, -1, &statement_, nullptr); }
  ~Statement() { sqlite3_finalize(statement_); }
  Statement(const Statement&) = delete;
  Statement& operator=(const Statement&) = delete;

  Statement& text(int at, const std::string& value);
  Statement& blob(int at, const std::string& value);
  Statement& number(int at, std::int64_t value);
  /// The next row is there.
  bool row() { return statement_ && sqlite3_step(statement_) == SQLITE_ROW; }
  /// It ran to its end.
  bool run() { return statement_ && sqlite3_step(statement_) == SQLITE_DONE; }
  std::string bytes(int column) const;
  std::int64_t integer(int column) const { return sqlite3_column_int64(statement_, column); }

 private:
  sqlite3_stmt* statement_ = nullptr;
};

/// One open SQLite database.
struct Database {
  sqlite3* handle = nullptr;
  Database() = default;
  Database(const Database&) = delete;
  Database& operator=(const Database&) = delete;
  ~Database() { sqlite3_close(handle); }

  bool run(const char* sql) { return sqlite3_exec(handle, sql, nullptr, nullptr, nullptr) == SQLITE_OK; }
  /// Why the last call failed, in words of ours; SQLite's own go to the log.
  std::string reason() const;
  /// -1: it cannot be read.
  int pragma(const char* name);
  /// The first column of the first row; nothing without one.
  std::optional<std::string> text(const char* sql, const std::string& parameter = {});
};

/// Rolls back unless committed.
class Transaction {
 public:
  explicit Transaction(Database& database) : database_(database), open_(database.run("BEGIN IMMEDIATE")) {}
  ~Transaction() {
    if (open_) database_.run("ROLLBACK");
  }
  Transaction(const Transaction&) = delete;
  Transaction& operator=(const Transaction&) = delete;
  bool commit();

 private:
  Database& database_;
  bool open_;
};

}  // namespace dusky
