#include <algorithm>
#include <cmath>

#include "core/deliver/plates.h"
#include "core/deliver/receipt_pictures.h"
#include "core/image/color_scale.h"

namespace dusky {
namespace {

void dot(Picture& picture, const Vec2& at, const Rgb& color) {
  const int reach = std::max(1, picture.width / 640), x = static_cast<int>(at.x()), y = static_cast<int>(at.y());
  for (int j = std::max(0, y - reach); j <= std::min(picture.height - 1, y + reach); ++j) {
    for (int i = std::max(0, x - reach); i <= std::min(picture.width - 1, x + reach); ++i) picture.at(i, j) = color;
  }
}

}  // namespace

Result<Picture> drawReceipt(const DeliveryInput& input, const DeliveryChoices& choices, const ReceiptTruth& truth, const ReadScene& scene, int frame,
                            const Progress& progress) {
  constexpr float kDarkened = 0.75f;  // so that dots stand out
  constexpr double kTop_px = 1;       // of the scale of errors
  constexpr double kSeen = 0.4;       // of it, from where on a dot is seen on a picture
  Picture picture;
  const auto take = [&](const PlateFrame& plate) -> Status {
    picture = bytesOf(forScreen(plate, input.log_footage), kDarkened);
    return Done{};
  };
  if (const Status made = forEachPlate(input, plateOf(input.solution, choices.plates), choices.plates.filter, {frame}, take, progress); !made.ok())
    return made.error();
  const auto key = scene.at(frame + truth.shift());
  if (!key) return picture;
  std::map<int, Vec2> tracked;
  for (const auto& sighting : truth.sightings()) {
    if (sighting.frame == frame)
      tracked[sighting.track] = {0.5 * picture.width + sighting.focal_px * sighting.seen.x(),
                                 0.5 * picture.height + sighting.focal_px * truth.pixelAspect() * sighting.seen.y()};
  }
  for (const ReadScene::Point& point : scene.points) {
    const auto measured = tracked.find(point.track);
    const auto at = seenBy(*key, point.at, picture.width, picture.height);
    if (measured != tracked.end() && at) dot(picture, *at, errorColor(kSeen + (1 - kSeen) * (*at - measured->second).norm() / kTop_px));
  }
  return picture;
}

}  // namespace dusky
