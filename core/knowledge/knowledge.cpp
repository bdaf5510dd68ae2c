#include "core/knowledge/knowledge.h"

#include <fmt/format.h>

#include <algorithm>
#include <array>
#include <cmath>
#include <set>

#include "core/knowledge/known_scalars.h"

namespace dusky {
namespace {

using Names = std::set<std::string_view>;

Status checkSigma(double sigma, const std::string& what) {
  if (sigma >= 0 && std::isfinite(sigma)) return Done{};
  return invalidInput(fmt::format("The deviation of {} must be 0 (exact) or more.", what));
}

Status checkSet(const KnownSet& set, Names& names) {
  const std::string_view kind = describe(set.kind);
  if (set.name.empty()) return invalidInput(fmt::format("A {} has no name. Give it one.", kind));
  if (!names.insert(set.name).second) return invalidInput(fmt::format("Two planes or lines are called \"{}\". Give each a name of its own.", set.name));
  const std::string who = fmt::format("{} \"{}\"", kind, set.name);
  if (set.tracks.size() < set.leastTracks())
    return invalidInput(fmt::format("The {} has {} tracks; it needs {} or more.", who, set.tracks.size(), set.leastTracks() == 2 ? "two" : "three"));
  if (set.facing == SetFacing::Given && !(set.axis.allFinite() && set.axis.norm() > 1e-9))
    return invalidInput(fmt::format("The {} has a given orientation; it needs a \"normal\" of three numbers that are not all 0.", who));
  if (set.offset && (set.kind != SetKind::Plane || set.facing != SetFacing::Given))
    return invalidInput(fmt::format("The {} has an offset; only a plane with a given orientation can have one.", who));
  if (set.offset && !std::isfinite(*set.offset)) return invalidInput(fmt::format("The offset of the {} must be a number.", who));
  return checkSigma(set.sigma, "the " + who);
}

std::string_view wordOf(RelationKind kind) {
  constexpr std::array<std::string_view, 3> kWords = {"An angle", "\"Same\"", "A distance apart"};
  return kWords[static_cast<std::size_t>(kind)];
}

Status checkRelation(const Knowledge& knowledge, const KnownRelation& relation) {
  const std::string_view what = wordOf(relation.kind);
  const std::string between = fmt::format("between \"{}\" and \"{}\"", relation.a, relation.b);
  for (const std::string& name : {relation.a, relation.b}) {
    const KnownSet* set = knowledge.find(name);
    if (!set) return invalidInput(fmt::format("{} names \"{}\", and there is no such plane or line.", what, name));
    if (relation.on && !set->on) return invalidInput(fmt::format("{} names \"{}\", which is off.", what, name));
    if (relation.kind == RelationKind::Apart && set->kind != SetKind::Plane)
      return invalidInput(fmt::format("A distance apart is taken between planes, and \"{}\" is a line.", name));
  }
  if (relation.a == relation.b) return invalidInput(fmt::format("{} needs two sets, and both are \"{}\".", what, relation.a));
  if (relation.kind == RelationKind::Angle && !(relation.value >= 0 && relation.value <= 90))
    return invalidInput(fmt::format("The angle {} must be 0 to 90 degrees.", between));
  if (relation.kind == RelationKind::Angle && relation.value > 0 && relation.value < kLeastAngle_deg)
    return invalidInput(fmt::format("The angle {} cannot be told from parallel at {:g} degrees: say parallel, or {:g} degrees or more.", between,
                                    relation.value, kLeastAngle_deg));
  if (relation.kind == RelationKind::Apart && !(relation.value >= 0 && std::isfinite(relation.value)))
    return invalidInput(fmt::format("The distance {} must be 0 or more.", between));
  return checkSigma(relation.sigma, "what is said " + between);
}

Status checkDistance(const KnownDistance& distance) {
  if (distance.from == distance.to) return invalidInput(fmt::format("A known distance goes from track {} to itself. It needs two tracks.", distance.from));
  const std::string between = fmt::format("the distance between tracks {} and {}", distance.from, distance.to);
  if (!(distance.metres > 0) || !std::isfinite(distance.metres)) return invalidInput(fmt::format("{} must be more than 0 m.", between));
  return checkSigma(distance.sigma, between);
}

/// What speaks of a plane by its name.
Status checkPlane(const Knowledge& knowledge, const std::string& name, bool on, const std::string& what) {
  const KnownSet* set = knowledge.find(name);
  if (!set) return invalidInput(fmt::format("{} names \"{}\", and there is no such plane.", what, name));
  if (set->kind != SetKind::Plane) return invalidInput(fmt::format("{} needs a plane, and \"{}\" is a line.", what, name));
  if (on && !set->on) return invalidInput(fmt::format("{} names \"{}\", which is off.", what, name));
  return Done{};
}

Status checkPlaneDistance(const Knowledge& knowledge, const KnownPlaneDistance& distance) {
  const std::string what = fmt::format("The distance of track {} from \"{}\"", distance.track, distance.plane);
  if (const Status fine = checkPlane(knowledge, distance.plane, distance.on, what); !fine.ok()) return fine;
  if (!(distance.metres > 0) || !std::isfinite(distance.metres))
    return invalidInput(fmt::format("{} must be more than 0 m. What lies on the plane is one of its members.", what));
  return checkSigma(distance.sigma, what);
}

/// Of two different tracks each, no pair twice.
Status checkPairs(const std::vector<TrackPair>& pairs, std::size_t least, const std::string& what) {
  if (pairs.size() < least) return invalidInput(fmt::format("{} need {} pairs of tracks or more.", what, least == 2 ? "two" : "one"));
  std::set<std::pair<int, int>> seen;
  for (const TrackPair& pair : pairs) {
    if (pair.from == pair.to) return invalidInput(fmt::format("{}: track {} is paired with itself.", what, pair.from));
    if (!seen.insert(std::minmax(pair.from, pair.to)).second)
      return invalidInput(fmt::format("{}: the pair of tracks {} and {} is there twice.", what, pair.from, pair.to));
  }
  return Done{};
}

Status checkEqual(const KnownEqual& equal) {
  if (const Status fine = checkPairs(equal.pairs, 2, "Equal distances"); !fine.ok()) return fine;
  return checkSigma(equal.sigma, "equal distances");
}

Status checkMirror(const Knowledge& knowledge, const KnownMirror& mirror) {
  const std::string what = "Mirrored pairs";
  if (const Status fine = checkPairs(mirror.pairs, mirror.leastPairs(), what); !fine.ok()) return fine;
  std::set<int> tracks;
  for (const TrackPair& pair : mirror.pairs) {
    for (const int id : {pair.from, pair.to}) {
      if (!tracks.insert(id).second) return invalidInput(fmt::format("{}: track {} is in two of them.", what, id));
    }
  }
  if (const Status fine = mirror.plane.empty() ? Status(Done{}) : checkPlane(knowledge, mirror.plane, mirror.on, what); !fine.ok()) return fine;
  return checkSigma(mirror.sigma, "mirrored pairs");
}

Status checkSurvey(const SurveyPoint& point, Names& names, std::set<int>& tracks) {
  if (!names.insert(point.name).second) return invalidInput(fmt::format("Two survey points are called \"{}\". Give each a name of its own.", point.name));
  if (!tracks.insert(point.track).second) return invalidInput(fmt::format("Track {} is two survey points; one of them is \"{}\".", point.track, point.name));
  if (!point.at.allFinite()) return invalidInput(fmt::format("Survey point \"{}\" has a coordinate that is no number.", point.name));
  for (const double sigma : {point.sigma.x(), point.sigma.y(), point.sigma.z()}) {
    if (const Status fine = checkSigma(sigma, fmt::format("survey point \"{}\"", point.name)); !fine.ok()) return fine;
  }
  return Done{};
}

Status checkCamera(const KnownCamera& camera) {
  const std::string what = fmt::format("\"{}\" of the camera, frames {} to {}", describe(camera.fact), camera.first, camera.last);
  if (camera.last < camera.first) return invalidInput(fmt::format("What is said of the camera ends before it begins: {}.", what));
  if (!camera.at.allFinite() || !camera.rotation.coeffs().allFinite()) return invalidInput(fmt::format("A number is missing in {}.", what));
  if (camera.fact == CameraFact::Smooth && !(camera.sigma > 0))
    return invalidInput(fmt::format("A smooth camera needs a \"sigma\" of more than 0: how far it may stray from an even motion, frame by frame ({}).", what));
  return checkSigma(camera.sigma, what);
}

}  // namespace

std::string_view describe(SetKind kind) { return kind == SetKind::Line ? "line" : "plane"; }

std::string_view describe(SetFacing facing) {
  static constexpr std::array<std::string_view, 4> kNames = {"free", "level", "upright", "given"};
  return kNames[std::min<std::size_t>(static_cast<std::size_t>(facing), kNames.size() - 1)];
}

std::string_view describe(CameraFact fact) {
  static constexpr std::array<std::string_view, 6> kNames = {"straight", "level", "position", "rotation", "still", "smooth"};
  return kNames[std::min<std::size_t>(static_cast<std::size_t>(fact), kNames.size() - 1)];
}

static bool anyOn(const auto& list) {
  return std::any_of(list.begin(), list.end(), [](const auto& statement) { return statement.on; });
}

bool Knowledge::says() const { return anyOn(sets) || anyOn(distances) || anyOn(equals) || anyOn(mirrors) || anyOn(survey) || anyOn(camera); }

bool Knowledge::saysLengths() const {
  const auto apart = [](const KnownRelation& relation) { return relation.on && relation.kind == RelationKind::Apart; };
  const auto placed = [](const KnownCamera& one) { return one.on && one.fact == CameraFact::Position; };
  return anyOn(distances) || anyOn(plane_distances) || anyOn(survey) || std::any_of(relations.begin(), relations.end(), apart) ||
         std::any_of(camera.begin(), camera.end(), placed);
}

const KnownSet* Knowledge::find(std::string_view name) const {
  const auto found = std::find_if(sets.begin(), sets.end(), [name](const KnownSet& set) { return set.name == name; });
  return found != sets.end() ? &*found : nullptr;
}

Status Knowledge::check() const {
  Names names, survey_names;
  std::set<int> surveyed;
  Status fine = Done{};
  const auto all = [&fine](const auto& list, const auto& check) {
    for (const auto& one : list) {
      if (fine.ok()) fine = check(one);
    }
  };
  all(sets, [&](const KnownSet& set) { return checkSet(set, names); });
  all(relations, [&](const KnownRelation& relation) { return checkRelation(*this, relation); });
  all(distances, checkDistance);
  all(plane_distances, [&](const KnownPlaneDistance& distance) { return checkPlaneDistance(*this, distance); });
  all(equals, checkEqual);
  all(mirrors, [&](const KnownMirror& mirror) { return checkMirror(*this, mirror); });
  all(survey, [&](const SurveyPoint& point) { return checkSurvey(point, survey_names, surveyed); });
  all(camera, checkCamera);
  return fine;
}

}  // namespace dusky
