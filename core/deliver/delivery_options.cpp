#include "core/deliver/delivery_options.h"

#include <fmt/format.h>
#include <fmt/ranges.h>

#include <algorithm>
#include <cmath>

#include "core/base/length_units.h"
#include "core/deliver/exporter.h"
#include "core/dense/texture.h"

namespace dusky {
namespace {

Status checkWorld(const WorldOptions& world) {
  const auto known = [&](const auto& unit) { return unit.first == world.unit; };
  if (!world.unit.empty() && std::none_of(kLengthUnits.begin(), kLengthUnits.end(), known)) {
    std::vector<std::string_view> units;
    for (const auto& [name, metres] : kLengthUnits) units.push_back(name);
    return invalidInput(fmt::format("There is no unit \"{}\" of length; there are {}.", world.unit, fmt::join(units, ", ")));
  }
  if (!(world.scale > 1e-9 && world.scale < 1e9)) return invalidInput(fmt::format("A delivery is scaled by 1e-9 to 1e9, not by {:g}.", world.scale));
  if (!(world.fps >= 0 && world.fps <= 1000)) return invalidInput(fmt::format("Frames per second must be 0 (the footage's) to 1000, not {:g}.", world.fps));
  if (world.start && std::abs(*world.start) > 10000000) return invalidInput(fmt::format("A delivery cannot start at frame {}.", *world.start));
  if (!(world.key_tolerance_px >= 0 && world.key_tolerance_px <= 10))
    return invalidInput(fmt::format("Keys may be left out within 0 to 10 px, not {:g}.", world.key_tolerance_px));
  for (const std::string& name : {world.camera, world.points}) {
    const auto plain = [](unsigned char c) { return std::isalnum(c) != 0 || c == '_'; };
    if (name.empty() || std::isdigit(static_cast<unsigned char>(name[0])) != 0 || !std::all_of(name.begin(), name.end(), plain))
      return invalidInput(fmt::format("\"{}\" cannot be a name in a 3D scene: letters, digits and _, not beginning with a digit.", name));
  }
  return world.camera == world.points ? Status(invalidInput("Camera and points need different names.")) : Status(Done{});
}

Status checkPictures(const PlateOptions& plates, const SplatOptions& splat) {
  if (plates.focal_px != 0 && !(plates.focal_px >= 10 && plates.focal_px <= 1e6))
    return invalidInput(fmt::format("The focal length of plates is 10 to 1000000 px, or 0 for the solve's own, not {:g}.", plates.focal_px));
  if (splat.reduced != 1 && splat.reduced != 2 && splat.reduced != 4)
    return invalidInput(fmt::format("Pictures for splat training are full size or 2 or 4 times smaller, not {}.", splat.reduced));
  if (splat.most_pictures < 2 || splat.most_pictures > 100000)
    return invalidInput(fmt::format("A splat set has 2 to 100000 pictures, not {}.", splat.most_pictures));
  if (splat.test_every < 0 || splat.test_every == 1) return invalidInput("Every second picture or fewer can be kept for testing (2 or more), or none (0).");
  return Done{};
}

DeliveryChoices choicesOf(const std::vector<std::string>& what) {
  DeliveryChoices choices;
  choices.what.clear();
  for (const std::string& name : what) choices.want(name, true);
  return choices;
}

}  // namespace

Status ReviewOptions::check() const {
  if (!(whisker > 0 && whisker <= 10000)) return invalidInput(fmt::format("Errors are enlarged up to 10000 times, not {:g} times.", whisker));
  if (height < 120 || height > 4320) return invalidInput(fmt::format("A review movie is 120 to 4320 px high, not {}.", height));
  if (stills < 1 || stills > 10000) return invalidInput(fmt::format("Stills are 1 to 10000 pictures, not {}.", stills));
  return Done{};
}

bool DeliveryChoices::wants(std::string_view name) const { return std::find(what.begin(), what.end(), name) != what.end(); }

void DeliveryChoices::want(std::string_view name, bool on) {
  std::erase(what, name);
  if (on) what.emplace_back(name);
  // In the order of the list, so that the same choice is equal to itself.
  const auto place = [](const std::string& one) { return exporterNamed(one) ? exporterNamed(one) - exporters().data() : std::ptrdiff_t{1000}; };
  std::stable_sort(what.begin(), what.end(), [&](const std::string& a, const std::string& b) { return place(a) < place(b); });
}

Status DeliveryChoices::check() const {
  for (const std::string& name : what) {
    if (exporterNamed(name)) continue;
    std::vector<std::string_view> names;
    for (const Exporter& exporter : exporters()) names.push_back(exporter.name);
    return invalidInput(fmt::format("There is nothing called \"{}\" to deliver; there is {}.", name, fmt::join(names, ", ")));
  }
  if (what.empty()) return invalidInput("Nothing is chosen to be delivered.");
  if (const Status fine = checkWorld(world); !fine.ok()) return fine;
  if (const Status fine = checkPictures(plates, splat); !fine.ok()) return fine;
  if (const Status fine = checkTextureSide(mesh_texture_px); !fine.ok()) return fine;
  return wants("review") ? review.check() : Status(Done{});
}

const std::vector<DeliveryPreset>& deliveryPresets() {
  static const std::vector<DeliveryPreset> presets = [] {
    std::vector<DeliveryPreset> made;
    made.push_back({"3D scene", choicesOf({"camera.glb", "camera.usda", "points.ply", "report.json"})});
    DeliveryPreset compositing{"compositing", choicesOf({"camera.usda", "camera.csv", "lens.json", "st-maps", "plates", "report.json"})};
    compositing.choices.plates.fit = PlateFit::Whole;
    compositing.choices.plates.format = PlateFormat::Exr;
    made.push_back(std::move(compositing));
    made.push_back({"splat training", choicesOf({"splat-set", "report.json"})});
    made.push_back({"dense scan", choicesOf({"camera.glb", "dense.ply", "mesh.glb", "report.json"})});
    // All that needs no dense points.
    DeliveryPreset everything{"everything", choicesOf({})};
    for (const Exporter& exporter : exporters()) {
      if (exporter.name != "object.glb" && !exporter.needs_dense) everything.choices.what.emplace_back(exporter.name);
    }
    made.push_back(std::move(everything));
    return made;
  }();
  return presets;
}

}  // namespace dusky
