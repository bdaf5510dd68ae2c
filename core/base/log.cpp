#include "core/base/log.h"

#include <fmt/format.h>
#include <spdlog/sinks/basic_file_sink.h>
#include <spdlog/sinks/rotating_file_sink.h>
#include <spdlog/spdlog.h>

#include <cctype>
#include <fstream>
#include <string>

#include "core/base/paths.h"

namespace dusky {
namespace {

namespace fs = std::filesystem;

/// spdlog's own list of loggers is one for a program and the modules that it loads.
constexpr const char* kName = "dusky-moth";

/// Lines begin with a date in brackets: "[2026-11-29 10:42:07.113] …".
bool looksLikeLog(const fs::path& file) {
  std::ifstream read(file);
  char first = 0, second = 0;
  if (!read.get(first)) return true;
  return first == '[' && read.get(second) && std::isdigit(static_cast<unsigned char>(second));
}

/// One line each, whatever stands in it.
std::string oneLine(std::string_view text) {
  std::string line(text);
  for (char& c : line) {
    if (c == '\n' || c == '\r') c = ' ';
  }
  while (!line.empty() && line.back() == ' ') line.pop_back();
  return line;
}

void write(spdlog::level::level_enum level, std::string_view line) {
  if (const auto log = spdlog::get(kName)) log->log(level, "{}", oneLine(line));
}

}  // namespace

Status openLog(const fs::path& file, LogKind kind) {
  std::error_code failed;
  const fs::path path = wholePath(file);
  if (fs::exists(path, failed) && (!fs::is_regular_file(path, failed) || !looksLikeLog(path)))
    return invalidInput(fmt::format("{} is no log. Name another file; nothing was written into this one.", path.string()));
  closeLog();
  constexpr std::size_t kBytes = 1 << 20, kFiles = 4;
  try {
    const auto log = kind == LogKind::Whole ? spdlog::basic_logger_mt(kName, path.string()) : spdlog::rotating_logger_mt(kName, path.string(), kBytes, kFiles);
    log->set_pattern("[%Y-%m-%d %H:%M:%S.%e] %P %l: %v");
    log->flush_on(spdlog::level::info);
    // A disk that is full is no reason to stop; the artist is told by what writes results.
    log->set_error_handler([](const std::string&) {});
  } catch (const spdlog::spdlog_ex&) {
    return cannotWrite(fmt::format("Cannot write the log {}: no permission, no such folder, or the disk is full.", path.string()));
  }
  return Done{};
}

fs::path logFile() {
  const auto log = spdlog::get(kName);
  if (!log) return {};
  const auto& sink = log->sinks().front();
  if (const auto whole = std::dynamic_pointer_cast<spdlog::sinks::basic_file_sink_mt>(sink)) return whole->filename();
  const auto rotating = std::dynamic_pointer_cast<spdlog::sinks::rotating_file_sink_mt>(sink);
  return rotating ? fs::path(rotating->filename()) : fs::path();
}

void closeLog() { spdlog::drop(kName); }

void logLine(std::string_view line) { write(spdlog::level::info, line); }
void logProblem(std::string_view sentence) { write(spdlog::level::err, sentence); }
void logLibrary(std::string_view library, std::string_view words) {
  if (!words.empty()) write(spdlog::level::warn, fmt::format("{}: {}", library, words));
}

}  // namespace dusky
