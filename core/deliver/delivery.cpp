#include "core/deliver/delivery.h"

#include <fmt/format.h>

#include "core/base/atomic_file.h"

namespace dusky {
namespace {

struct Item {
  std::string_view name, what;
  std::string (*write)(const DeliveryInput&);
};

std::vector<Item> chosenItems(const DeliveryOptions& options) {
  std::vector<Item> items;
  const auto add = [&](bool wanted, const Item& item) {
    if (wanted) items.push_back(item);
  };
  add(options.camera_glb, {"camera.glb", "animated camera and points (glTF 2.0)", cameraGlb});
  add(options.object_glb, {"object.glb", "moving object before a still camera (glTF 2.0)", objectGlb});
  add(options.points_ply, {"points.ply", "coloured points", pointsPly});
  add(options.camera_csv, {"camera.csv", "camera by frame, as a table", cameraCsv});
  add(options.report_json, {"report.json", "everything, machine-readable", reportJson});
  return items;
}

}  // namespace

std::vector<std::filesystem::path> deliveryFiles(const DeliveryOptions& options) {
  std::vector<std::filesystem::path> files;
  for (const Item& item : chosenItems(options)) files.push_back(options.folder / item.name);
  if (options.review_mp4) files.push_back(options.folder / kReviewName);
  return files;
}

Result<std::vector<DeliveredFile>> deliver(const DeliveryInput& input, const DeliveryOptions& options, const Progress& progress) {
  if (const Status made = makeFolder(options.folder); !made.ok()) return made.error();
  const std::vector<Item> items = chosenItems(options);
  std::vector<DeliveredFile> written;
  for (const Item& item : items) {
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
