#include "core/project/database.h"

#include <fmt/format.h>

#include "core/base/log.h"

namespace dusky {
namespace {

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

}  // namespace

Statement& Statement::text(int at, const std::string& value) {
  sqlite3_bind_text(statement_, at, value.data(), static_cast<int>(value.size()), SQLITE_TRANSIENT);
  return *this;
}

Statement& Statement::blob(int at, const std::string& value) {
  sqlite3_bind_blob64(statement_, at, value.data(), value.size(), SQLITE_TRANSIENT);
  return *this;
}

Statement& Statement::number(int at, std::int64_t value) {
  sqlite3_bind_int64(statement_, at, value);
  return *this;
}

std::string Statement::bytes(int column) const {
  const void* data = sqlite3_column_blob(statement_, column);
  const int size = sqlite3_column_bytes(statement_, column);
  return data ? std::string(static_cast<const char*>(data), static_cast<std::size_t>(size)) : std::string();
}

std::string Database::reason() const {
  logLibrary("SQLite", fmt::format("{} ({})", sqlite3_errmsg(handle), sqlite3_extended_errcode(handle)));
  return plainReason(sqlite3_errcode(handle));
}

int Database::pragma(const char* name) {
  Statement statement(handle, fmt::format("PRAGMA {}", name).c_str());
  return statement.row() ? static_cast<int>(statement.integer(0)) : -1;
}

std::optional<std::string> Database::text(const char* sql, const std::string& parameter) {
  Statement read(handle, sql);
  if (!parameter.empty()) read.text(1, parameter);
  return read.row() ? std::optional(read.bytes(0)) : std::nullopt;
}

bool Transaction::commit() {
  if (!open_ || !database_.run("COMMIT")) return false;
  open_ = false;
  return true;
}

}  // namespace dusky
