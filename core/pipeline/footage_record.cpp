#include "core/pipeline/footage_record.h"

#include <fmt/format.h>

#include "core/base/json_text.h"
#include "core/base/paths.h"

namespace dusky {

using Json = nlohmann::json;

std::string footageRecordToJson(const FootageRecord& record) {
  const FootageInfo& i = record.info;
  return Json{{"path", i.path},
              {"kind", i.kind},
              {"width", i.width},
              {"height", i.height},
              {"fps", i.fps},
              {"first", i.first},
              {"last", i.last},
              {"missing", i.missing},
              {"pixel_aspect", i.pixel_aspect},
              {"focal_mm", i.focal_mm},
              {"focal_35_mm", i.focal_35_mm},
              {"has_alpha", i.has_alpha},
              {"print", record.print}}
      .dump();
}

Result<FootageRecord> footageRecordFromJson(const std::string& text) {
  try {
    const auto json = parsedJson(text);
    FootageRecord record;
    FootageInfo& i = record.info;
    i.path = json.at("path"), i.kind = json.at("kind");
    i.width = json.at("width"), i.height = json.at("height"), i.fps = json.at("fps");
    i.first = json.at("first"), i.last = json.at("last"), i.missing = json.at("missing").get<std::vector<int>>();
    i.pixel_aspect = json.at("pixel_aspect"), i.focal_mm = json.at("focal_mm"), i.focal_35_mm = json.at("focal_35_mm"), i.has_alpha = json.at("has_alpha");
    record.print = json.at("print");
    if (i.width < 1 || i.height < 1 || i.last < i.first || !(i.fps > 0)) return unreadable("What the project remembers of its footage is damaged.");
    return record;
  } catch (const std::exception& problem) {
    return unreadable(fmt::format("What the project remembers of its footage is damaged: {}.", whyUnreadable(problem)));
  }
}

Result<FootageRecord> lookForFootage(const FootageInfo& was, const std::filesystem::path& path) {
  const auto found = lookAtFootage(path.string());
  if (!found.ok()) return found.error();
  if (found->width != was.width || found->height != was.height || found->first != was.first || found->last != was.last)
    return invalidInput(fmt::format("{} is other footage: {}×{}, frames {}–{}; the project was made from {}×{}, frames {}–{}.", path.string(), found->width,
                                    found->height, found->first, found->last, was.width, was.height, was.first, was.last));
  Document there;
  there.footage_path = wholePath(path).string();
  FootageRecord record{*found, filePrintsOf(there).footage};
  record.info.path = there.footage_path;
  return record;
}

Document withFootageAt(Document document, const FootageRecord& found, const std::string& print_before) {
  document.footage_path = found.info.path;
  document.footage.moved_print = found.print, document.footage.made_print = print_before;
  return document;
}

}  // namespace dusky
