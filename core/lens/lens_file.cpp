#include "core/lens/lens_file.h"

#include <fmt/format.h>

#include <cmath>
#include "core/base/json_text.h"

namespace dusky {
namespace {

using Json = nlohmann::ordered_json;

Json numbersOf(const Lens& lens) {
  Json numbers = Json::object();
  const auto names = lensParameterNames(lens.model);
  for (std::size_t k = 0; k < names.size(); ++k) numbers[std::string(names[k])] = lens.parameters()[k];
  return numbers;
}

Lens readLens(const Json& sizes, const Json& model) {
  const auto kind = lensModelNamed(model.at("model").get<std::string>());
  if (!kind) throw std::runtime_error(fmt::format("its model \"{}\" is not known", model.at("model").get<std::string>()));
  Lens lens = Lens::simple(sizes.at("width"), sizes.at("height"), 0, *kind);
  lens.pixel_aspect = sizes.value("pixel_aspect", 1.0);
  LensParameters values = lens.parameters();
  const auto names = lensParameterNames(*kind);
  for (std::size_t k = 0; k < names.size(); ++k) values[k] = model.at("parameters").value(std::string(names[k]), values[k]);
  lens.setParameters(values);
  const bool sound = std::all_of(values.begin(), values.end(), [](double v) { return std::isfinite(v); });
  if (!sound || lens.focal_px <= 0 || lens.width <= 0 || lens.height <= 0 || lens.pixel_aspect <= 0)
    throw std::runtime_error("its picture size, pixel aspect and focal length must be over 0");
  return lens;
}

}  // namespace

std::string lensToJson(const Lens& lens) {
  return Json{{"format", "dusky-moth-lens"},
              {"version", 1},
              {"width", lens.width},
              {"height", lens.height},
              {"pixel_aspect", lens.pixel_aspect},
              {"model", describe(lens.model)},
              {"parameters", numbersOf(lens)}}
             .dump(1) +
         "\n";
}

Result<Lens> lensFromJson(const std::string& text) {
  try {
    const auto json = parsedJson<Json>(text);
    const std::string format = json.value("format", "");
    if (format == "dusky-moth-lens") return readLens(json, json);
    if (format == "dusky-moth-report") {
      const Json& cameras = json.at("cameras");
      if (!cameras.is_object() || cameras.empty()) return unreadable("The report holds no camera.");
      const Json& camera = cameras.begin().value();
      return readLens(camera, camera.at("lens"));
    }
    return unreadable("This is neither a lens nor a report of a solve.");
  } catch (const std::exception& problem) {
    return unreadable(fmt::format("The lens cannot be read: {}.", whyUnreadable(problem)));
  }
}

Result<Lens> lensFor(const Lens& lens, int width, int height) {
  const double shape = static_cast<double>(width) / height, own = static_cast<double>(lens.width) / lens.height;
  if (std::abs(shape / own - 1) > 0.002) {
    return invalidInput(
        fmt::format("The lens belongs to a picture of {}×{}, the footage is {}×{}: its shape must be the same.", lens.width, lens.height, width, height));
  }
  return lens.scaledTo(width, height);
}

}  // namespace dusky
