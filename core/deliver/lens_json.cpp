#include <nlohmann/json.hpp>

#include "core/deliver/delivery_view.h"
#include "core/deliver/writers.h"
#include "core/lens/lens_file.h"

namespace dusky {

std::string lensJson(const DeliveryInput& input, const DeliveryView& view) {
  using Json = nlohmann::ordered_json;
  Json json = Json::parse(lensToJson(input.solution.lens()));
  const Plate& plate = view.plate;
  json["undistorted"] = {{"width", plate.width},         {"height", plate.height},          {"pixel_aspect", plate.pixel_aspect},
                         {"overscan_left", plate.left},  {"overscan_top", plate.top},       {"centre", {0.5 * plate.width, 0.5 * plate.height}},
                         {"cut_share", plate.cut_share}, {"empty_share", plate.empty_share}};
  Json frames = Json::array();
  for (const DeliveryView::Camera& camera : view.cameras)
    frames.push_back({{"frame", camera.frame}, {"focal_px", input.solution.lensIn(camera.footage).focal_px}, {"undistorted_focal_px", camera.focal_px}});
  json["frames"] = std::move(frames);
  json["readout_ms"] = 1000 * input.solution.readout / input.footage.fps;
  return json.dump(1) + "\n";
}

}  // namespace dusky
