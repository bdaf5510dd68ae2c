#include "core/deliver/delivery.h"

#include <fmt/format.h>

#include <functional>

#include "core/base/atomic_file.h"

namespace dusky {
namespace {

struct Item {
  bool wanted;
  std::string_view name, what;
  std::string (*write)(const DeliveryInput&);
};

}  // namespace

Result<std::vector<DeliveredFile>> deliver(const DeliveryInput& input, const DeliveryOptions& options, const Progress& progress) {
  std::error_code failed;
  std::filesystem::create_directories(options.folder, failed);
  if (!std::filesystem::is_directory(options.folder)) {
    return cannotWrite(fmt::format("Cannot make the folder {}: {}.", options.folder.string(), failed ? failed.message() : "a file has that name"));
  }
  const std::vector<Item> items = {{options.camera_glb, "camera.glb", "animated camera and points (glTF 2.0)", cameraGlb},
                                   {options.object_glb, "object.glb", "moving object before a still camera (glTF 2.0)", objectGlb},
                                   {options.points_ply, "points.ply", "coloured points", pointsPly},
                                   {options.camera_csv, "camera.csv", "camera by frame, as a table", cameraCsv},
                                   {options.report_json, "report.json", "everything, machine-readable", reportJson}};
  std::vector<DeliveredFile> written;
  for (const Item& item : items) {
    if (!item.wanted) continue;
    if (progress.stopRequested()) return cancelled();
    progress.report(static_cast<double>(written.size()) / static_cast<double>(items.size()), fmt::format("writing {}", item.name));
    const std::string bytes = item.write(input);
    const auto path = options.folder / item.name;
    if (const Status done = writeFileAtomically(path, bytes); !done.ok()) return done.error();
    written.push_back({path, std::string(item.what), bytes.size()});
  }
  return written;
}

}  // namespace dusky
