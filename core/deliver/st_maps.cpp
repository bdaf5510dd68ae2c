#include <fmt/format.h>
#include <oneapi/tbb/parallel_invoke.h>

#include <cmath>

#include "core/base/atomic_file.h"
#include "core/deliver/delivery_view.h"
#include "core/deliver/writers.h"
#include "core/media/write_picture.h"

namespace dusky {
namespace {

namespace fs = std::filesystem;

/// s to the right and t upwards over a picture that begins at (left, top), 0 to 1 from edge to edge; a third channel says where there is anything.
std::vector<float> stOf(const SourceMap& map, double left, double top, double width, double height) {
  std::vector<float> values(3 * map.data.size());
  for (std::size_t i = 0; i < map.data.size(); ++i) {
    const auto [u, v] = map.data[i];
    const bool known = !std::isnan(u);
    values[3 * i] = known ? static_cast<float>((u - left) / width) : 0;
    values[3 * i + 1] = known ? static_cast<float>(1 - (v - top) / height) : 0;
    values[3 * i + 2] = known ? 1 : 0;
  }
  return values;
}

Status writeMap(const fs::path& path, const std::vector<float>& values, int width, int height, const PictureEncoding& encoding) {
  return writeValues(path, {values.data(), width, height, {"R", "G", "A"}}, encoding);
}

/// Both ways for one lens. Coordinates are over the footage's size both times: overscan lies outside of 0 to 1, and of the display window.
Status writeBoth(const Plate& plate, const Lens& lens, const fs::path& folder, const std::string& number) {
  PictureEncoding encoding;
  encoding.compressed = !number.empty();  // a single pair is read again for every frame, and is not much
  encoding.depth = PictureEncoding::Depth::Float, encoding.linear = true, encoding.synced = false, encoding.pixel_aspect = plate.pixel_aspect;
  encoding.full_width = lens.width, encoding.full_height = lens.height;
  encoding.left = -plate.left, encoding.top = -plate.top;
  const auto undistort = stOf(footageFromPlate(plate, lens), 0, 0, lens.width, lens.height);
  const auto redistort = stOf(plateFromFootage(plate, lens), plate.left, plate.top, lens.width, lens.height);
  PictureEncoding whole = encoding;
  whole.left = whole.top = 0;
  Status first = Done{}, second = Done{};
  tbb::parallel_invoke([&] { first = writeMap(folder / fmt::format("undistort{}.exr", number), undistort, plate.width, plate.height, encoding); },
                       [&] { second = writeMap(folder / fmt::format("redistort{}.exr", number), redistort, lens.width, lens.height, whole); });
  return first.ok() ? second : first;
}

}  // namespace

Status writeStMaps(const DeliveryInput& input, const DeliveryChoices&, const DeliveryView& view, const fs::path& folder, const Progress& progress) {
  const fs::path into = folder / kStMapFolder;
  if (const Status made = makeFolder(into); !made.ok()) return made;
  if (oneLens(input.solution)) {
    const SolvedFrame* placed = view.cameras.empty() ? nullptr : input.solution.frameAt(view.cameras.front().footage);
    return writeBoth(view.plate, placed ? input.solution.lensAt(*placed) : input.solution.lens(), into, "");
  }
  for (std::size_t k = 0; k < view.cameras.size(); ++k) {
    const auto& camera = view.cameras[k];
    if (progress.stopRequested()) return cancelled();
    progress.report(static_cast<double>(k) / static_cast<double>(view.cameras.size()), fmt::format("ST maps of frame {}", camera.frame));
    const Lens lens = input.solution.lensIn(camera.footage);
    if (const Status put = writeBoth(view.plate, lens, into, fmt::format(".{:04}", camera.frame)); !put.ok()) return put;
  }
  return Done{};
}

}  // namespace dusky
