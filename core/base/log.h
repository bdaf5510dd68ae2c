#pragma once
#include <filesystem>
#include <string_view>

#include "core/base/result.h"

namespace dusky {

// What a program did, for whoever looks for the cause of trouble afterwards: its steps, the sentences it said, and the words of libraries, which the artist
// is not shown. Nothing is written before a log is opened. May be called from any thread.

/// A file of one run that grows; or one that many runs share and that never takes more than 5 MB: the oldest lines go.
enum class LogKind { Whole, Rotating };

/// From now on lines go into this file, after those that are there; also those of the picture module. Errors: CannotWrite; InvalidInput where the file is
/// something else than a log.
Status openLog(const std::filesystem::path& file, LogKind kind);
/// The file that lines go into; empty: none.
std::filesystem::path logFile();
void closeLog();

/// Something that was done: "tracked 120 frames in 1.9 s".
void logLine(std::string_view line);
/// A sentence that the artist was told because something went wrong.
void logProblem(std::string_view sentence);
/// What a library said about something that went wrong, as it said it.
void logLibrary(std::string_view library, std::string_view words);

}  // namespace dusky
