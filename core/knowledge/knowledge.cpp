#include "core/knowledge/knowledge.h"

#include <fmt/format.h>

#include <algorithm>
#include <array>
#include <cmath>
#include <set>

namespace dusky {
namespace {

Status checkPlane(const KnownPlane& plane, std::set<std::string_view>& names) {
  if (plane.name.empty()) return invalidInput("A plane has no name. Give it one.");
  if (!names.insert(plane.name).second) return invalidInput(fmt::format("Two planes are called \"{}\". Give each a name of its own.", plane.name));
  if (plane.tracks.size() < 3) return invalidInput(fmt::format("Plane \"{}\" has {} tracks; a plane needs three or more.", plane.name, plane.tracks.size()));
  if (!(plane.sigma >= 0) || !std::isfinite(plane.sigma))
    return invalidInput(fmt::format("The deviation of plane \"{}\" must be 0 (exact) or more.", plane.name));
  return Done{};
}

Status checkAngle(const Knowledge& knowledge, const KnownAngle& angle) {
  for (const std::string& name : {angle.a, angle.b}) {
    const KnownPlane* plane = knowledge.find(name);
    if (!plane) return invalidInput(fmt::format("An angle names plane \"{}\", and there is none.", name));
    if (angle.on && !plane->on) return invalidInput(fmt::format("An angle names plane \"{}\", which is off.", name));
  }
  if (angle.a == angle.b) return invalidInput(fmt::format("An angle needs two planes, and both are \"{}\".", angle.a));
  if (!(angle.degrees >= 0 && angle.degrees <= 90))
    return invalidInput(fmt::format("The angle between \"{}\" and \"{}\" must be 0 to 90 degrees.", angle.a, angle.b));
  if (!(angle.sigma_deg >= 0) || !std::isfinite(angle.sigma_deg))
    return invalidInput(fmt::format("The deviation of the angle between \"{}\" and \"{}\" must be 0 (exact) or more.", angle.a, angle.b));
  return Done{};
}

}  // namespace

std::string_view describe(PlaneFacing facing) {
  static constexpr std::array<std::string_view, 3> kNames = {"free", "level", "upright"};
  return kNames[std::min<std::size_t>(static_cast<std::size_t>(facing), kNames.size() - 1)];
}

bool Knowledge::says() const {
  return std::any_of(planes.begin(), planes.end(), [](const KnownPlane& plane) { return plane.on; });
}

const KnownPlane* Knowledge::find(std::string_view name) const {
  const auto found = std::find_if(planes.begin(), planes.end(), [name](const KnownPlane& plane) { return plane.name == name; });
  return found != planes.end() ? &*found : nullptr;
}

Status Knowledge::check() const {
  std::set<std::string_view> names;
  for (const KnownPlane& plane : planes) {
    if (const Status fine = checkPlane(plane, names); !fine.ok()) return fine;
  }
  for (const KnownAngle& angle : angles) {
    if (const Status fine = checkAngle(*this, angle); !fine.ok()) return fine;
  }
  return Done{};
}

}  // namespace dusky
