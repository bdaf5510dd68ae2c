#pragma once
#include "core/pipeline/steps.h"

namespace dusky {

/// What a project remembers of its footage: enough to show its results, and to know the footage again, when the files are not where they were.
struct FootageRecord {
  FootageInfo info;   ///< As the file has it.
  std::string print;  ///< Of the files (FilePrints::footage), under which results were made.
};

std::string footageRecordToJson(const FootageRecord& record);
/// Errors: Unreadable.
Result<FootageRecord> footageRecordFromJson(const std::string& text);

/// Looks at the place where a shot's footage lies now. Errors: as lookAtFootage; InvalidInput where it is other footage: another size or other frames.
Result<FootageRecord> lookForFootage(const FootageInfo& was, const std::filesystem::path& path);

/// The document with its footage at another place; results made from it as it lay before stay current.
Document withFootageAt(Document document, const FootageRecord& found, const std::string& print_before);

}  // namespace dusky
