#include "core/knowledge/known_scalars.h"

#include <fmt/format.h>

#include <algorithm>

namespace dusky {
namespace {

bool takeAngle(Knowledge& knowledge, const std::string& a, const std::string& b, double value) {
  const auto same = [&](const KnownRelation& r) { return r.kind == RelationKind::Angle && std::minmax(r.a, r.b) == std::minmax(a, b); };
  std::erase_if(knowledge.relations, same);
  knowledge.relations.push_back({.a = a, .b = b, .value = value});
  return true;
}

}  // namespace

std::string angleScalar(std::string_view a, std::string_view b) { return fmt::format("angle of {} and {}", a, b); }
std::string tiltScalar(std::string_view set) { return fmt::format("tilt of {}", set); }
std::string offsetScalar(std::string_view set) { return fmt::format("offset of {}", set); }
std::string lengthScalar(int from, int to) { return fmt::format("length of tracks {} – {}", from, to); }

std::optional<ScalarKind> kindOfScalar(std::string_view parameter) {
  if (parameter.starts_with("angle of ")) return ScalarKind::Angle;
  if (parameter.starts_with("tilt of ")) return ScalarKind::Tilt;
  if (parameter.starts_with("offset of ")) return ScalarKind::Offset;
  return parameter.starts_with("length of ") ? std::optional(ScalarKind::Length) : std::nullopt;
}

bool isKnownAngle(std::string_view parameter) {
  const auto kind = kindOfScalar(parameter);
  return kind == ScalarKind::Angle || kind == ScalarKind::Tilt;
}

bool takeScalar(Knowledge& knowledge, std::string_view parameter, double value) {
  for (KnownDistance& distance : knowledge.distances) {
    if (parameter == lengthScalar(distance.from, distance.to)) return distance.metres = value, distance.sigma = 0, distance.on = true;
  }
  for (KnownSet& a : knowledge.sets) {
    if (parameter == offsetScalar(a.name) && a.facing == SetFacing::Given) return a.offset = value, true;
    for (const KnownSet& b : knowledge.sets) {
      if (parameter == angleScalar(a.name, b.name)) return takeAngle(knowledge, a.name, b.name, value);
    }
  }
  return false;
}

}  // namespace dusky
