#include "core/knowledge/statements.h"

#include <fmt/format.h>

#include <algorithm>

namespace dusky {
namespace {

using Part = StatementRef::Part;

/// Calls `visit` with the list that a statement is in.
template <class K, class Visit>
auto inList(K& knowledge, Part part, const Visit& visit) {
  switch (part) {
    case Part::Set: return visit(knowledge.sets);
    case Part::Relation: return visit(knowledge.relations);
    case Part::Distance: return visit(knowledge.distances);
    case Part::PlaneDistance: return visit(knowledge.plane_distances);
    case Part::Equal: return visit(knowledge.equals);
    case Part::Mirror: return visit(knowledge.mirrors);
    case Part::Survey: return visit(knowledge.survey);
    default: return visit(knowledge.camera);
  }
}

/// A number with its unit; degrees stand close.
std::string figure(double value, std::string_view unit) { return fmt::format("{:g}{}{}", value, unit == "°" ? "" : " ", unit); }
std::string give(double sigma, std::string_view unit) { return sigma > 0 ? " ± " + figure(sigma, unit) : ""; }

std::string wordsOf(const KnownSet& set, std::string_view unit) {
  const std::string_view line = set.kind == SetKind::Line ? " line" : "";
  if (set.facing == SetFacing::Free) return fmt::format("{}: {}{}", set.name, set.kind == SetKind::Line ? "straight" : "flat", give(set.sigma, unit));
  if (set.facing != SetFacing::Given) return fmt::format("{}: {}{}{}", set.name, describe(set.facing), line, give(set.sigma, unit));
  const std::string offset = set.offset ? ", offset " + figure(*set.offset, unit) : "";
  return fmt::format("{}: {} {:g}, {:g}, {:g}{}{}", set.name, set.kind == SetKind::Line ? "along" : "normal", set.axis.x(), set.axis.y(), set.axis.z(), offset,
                     give(set.sigma, unit));
}

std::string wordsOf(const KnownRelation& relation, std::string_view unit) {
  const auto with = [&](const std::string& says, std::string_view of) {
    return fmt::format("{} {} {}{}", relation.a, says, relation.b, give(relation.sigma, of));
  };
  if (relation.kind == RelationKind::Same) return with("one with", unit);
  if (relation.kind == RelationKind::Apart) return with(figure(relation.value, unit) + " apart from", unit);
  if (relation.value == 90) return with("square to", "°");
  return relation.value == 0 ? with("parallel to", "°") : with("at " + figure(relation.value, "°") + " to", "°");
}

std::string wordsOf(const KnownDistance& distance, std::string_view) {
  return fmt::format("{}: {}{}", nameOf(distance), figure(distance.metres, "m"), give(distance.sigma, "m"));
}

std::string wordsOf(const KnownPlaneDistance& distance, std::string_view) {
  return fmt::format("{}: {}{}", nameOf(distance), figure(distance.metres, "m"), give(distance.sigma, "m"));
}

std::string wordsOf(const KnownEqual& equal, std::string_view unit) { return nameOf(equal) + give(equal.sigma, unit); }

std::string wordsOf(const KnownMirror& mirror, std::string_view unit) {
  return fmt::format("{}{}{}", nameOf(mirror), mirror.plane.empty() ? "" : ", in " + mirror.plane, give(mirror.sigma, unit));
}

std::string pairsInWords(const std::vector<TrackPair>& pairs) {
  constexpr std::size_t kNamed = 3;
  std::string words;
  for (std::size_t i = 0; i < std::min(kNamed, pairs.size()); ++i) words += fmt::format("{}{} – {}", i > 0 ? ", " : "", pairs[i].from, pairs[i].to);
  return pairs.size() > kNamed ? fmt::format("{} and {} more", words, pairs.size() - kNamed) : words;
}

std::vector<int> tracksOf(const std::vector<TrackPair>& pairs) {
  std::vector<int> ids;
  for (const TrackPair& pair : pairs) ids.push_back(pair.from), ids.push_back(pair.to);
  std::sort(ids.begin(), ids.end());
  ids.erase(std::unique(ids.begin(), ids.end()), ids.end());
  return ids;
}

/// The names of sets that a statement speaks of.
std::vector<std::string*> setsOf(Knowledge& knowledge, StatementRef ref) {
  switch (ref.part) {
    case Part::Relation: return {&knowledge.relations[ref.index].a, &knowledge.relations[ref.index].b};
    case Part::PlaneDistance: return {&knowledge.plane_distances[ref.index].plane};
    case Part::Mirror:
      return knowledge.mirrors[ref.index].plane.empty() ? std::vector<std::string*>{} : std::vector<std::string*>{&knowledge.mirrors[ref.index].plane};
    default: return {};
  }
}

std::string wordsOf(const SurveyPoint& point, std::string_view) {
  return fmt::format("{}: survey point, track {}{}", point.name, point.track, give(point.sigma.maxCoeff(), "m"));
}

std::string wordsOf(const KnownCamera& camera, std::string_view unit) {
  return nameOf(camera) + give(camera.sigma, camera.fact == CameraFact::Rotation ? "°" : unit);
}

}  // namespace

std::vector<StatementRef> statementsOf(const Knowledge& knowledge) {
  std::vector<StatementRef> all;
  for (const Part part : {Part::Set, Part::Relation, Part::Distance, Part::PlaneDistance, Part::Equal, Part::Mirror, Part::Survey, Part::Camera}) {
    const std::size_t count = inList(knowledge, part, [](const auto& list) { return list.size(); });
    for (std::size_t k = 0; k < count; ++k) all.push_back({part, k});
  }
  return all;
}

std::string inWords(const Knowledge& knowledge, StatementRef ref, std::string_view unit) {
  return inList(knowledge, ref.part, [&](const auto& list) { return wordsOf(list[ref.index], unit); });
}

std::string nameOf(const KnownRelation& relation) { return fmt::format("{} – {}", relation.a, relation.b); }
std::string nameOf(const KnownDistance& distance) { return fmt::format("tracks {} – {}", distance.from, distance.to); }
std::string nameOf(const KnownPlaneDistance& distance) { return fmt::format("track {} – {}", distance.track, distance.plane); }
std::string nameOf(const KnownEqual& equal) { return fmt::format("equal distances {}", pairsInWords(equal.pairs)); }
std::string nameOf(const KnownMirror& mirror) { return fmt::format("mirrored pairs {}", pairsInWords(mirror.pairs)); }
std::string nameOf(const KnownCamera& camera) {
  const std::string range = camera.first == camera.last ? fmt::format("frame {}", camera.first) : fmt::format("frames {} to {}", camera.first, camera.last);
  return fmt::format("camera {}, {}", describe(camera.fact), range);
}

std::string keyOf(const Knowledge& knowledge, StatementRef ref) {
  switch (ref.part) {
    case Part::Set: return "set " + knowledge.sets[ref.index].name;
    case Part::Relation: {
      const KnownRelation& relation = knowledge.relations[ref.index];
      return fmt::format("{} {}", relation.kind == RelationKind::Angle ? "angle" : relation.kind == RelationKind::Same ? "same" : "apart", nameOf(relation));
    }
    case Part::Distance: return "length " + nameOf(knowledge.distances[ref.index]);
    case Part::PlaneDistance: return "length " + nameOf(knowledge.plane_distances[ref.index]);
    case Part::Equal: return "equal " + nameOf(knowledge.equals[ref.index]);
    case Part::Mirror: return "mirrored " + nameOf(knowledge.mirrors[ref.index]);
    case Part::Survey: return "survey " + knowledge.survey[ref.index].name;
    case Part::Camera: return "camera " + nameOf(knowledge.camera[ref.index]);
  }
  return {};
}

std::string freeName(const Knowledge& knowledge, SetKind kind) {
  for (int number = 1;; ++number) {
    const std::string name = fmt::format("{} {}", describe(kind), number);
    if (!knowledge.find(name)) return name;
  }
}

bool isOn(const Knowledge& knowledge, StatementRef ref) {
  return inList(knowledge, ref.part, [&](const auto& list) { return list[ref.index].on; });
}

bool isExact(const Knowledge& knowledge, StatementRef ref) {
  if (ref.part == Part::Survey) return knowledge.survey[ref.index].sigma.isZero(0);
  if (ref.part == Part::Camera) return knowledge.camera[ref.index].sigma == 0;
  const auto exact = [&](const auto& list) {
    if constexpr (std::is_same_v<std::decay_t<decltype(list[0].sigma)>, double>) return list[ref.index].sigma == 0;
    return false;
  };
  return inList(knowledge, ref.part, exact);
}

Knowledge withItsSets(Knowledge knowledge, StatementRef ref) {
  for (const std::string* name : setsOf(knowledge, ref)) {
    for (KnownSet& set : knowledge.sets) set.on = set.on || set.name == *name;
  }
  return knowledge;
}

Knowledge withExact(Knowledge knowledge, StatementRef ref) {
  switchStatement(knowledge, ref, true);
  if (ref.part == Part::Camera && knowledge.camera[ref.index].fact == CameraFact::Smooth) return knowledge;
  inList(knowledge, ref.part, [&](auto& list) { list[ref.index].sigma = std::decay_t<decltype(list[ref.index].sigma)>(list[ref.index].sigma * 0.0); });
  return knowledge;
}

void switchStatement(Knowledge& knowledge, StatementRef ref, bool on) {
  inList(knowledge, ref.part, [&](auto& list) { list[ref.index].on = on; });
  if (on) knowledge = withItsSets(std::move(knowledge), ref);
  if (ref.part != Part::Set || on) return;
  for (const StatementRef& other : statementsOf(knowledge)) {
    for (const std::string* name : setsOf(knowledge, other)) {
      if (*name == knowledge.sets[ref.index].name) inList(knowledge, other.part, [&](auto& list) { list[other.index].on = false; });
    }
  }
}

void renameSet(Knowledge& knowledge, std::size_t index, const std::string& name) {
  const std::string before = knowledge.sets[index].name;
  knowledge.sets[index].name = name;
  for (const StatementRef& ref : statementsOf(knowledge)) {
    for (std::string* of : setsOf(knowledge, ref)) {
      if (*of == before) *of = name;
    }
  }
}

void removeStatement(Knowledge& knowledge, StatementRef ref) {
  if (ref.part == Part::Set) {
    const std::string name = knowledge.sets[ref.index].name;
    std::erase_if(knowledge.relations, [&name](const KnownRelation& relation) { return relation.a == name || relation.b == name; });
    std::erase_if(knowledge.plane_distances, [&name](const KnownPlaneDistance& distance) { return distance.plane == name; });
    std::erase_if(knowledge.mirrors, [&name](const KnownMirror& mirror) { return mirror.plane == name; });
  }
  inList(knowledge, ref.part, [&](auto& list) { list.erase(list.begin() + static_cast<std::ptrdiff_t>(ref.index)); });
}

std::vector<int> tracksOf(const Knowledge& knowledge, StatementRef ref) {
  switch (ref.part) {
    case Part::Set: return knowledge.sets[ref.index].tracks;
    case Part::Distance: return {knowledge.distances[ref.index].from, knowledge.distances[ref.index].to};
    case Part::PlaneDistance: return {knowledge.plane_distances[ref.index].track};
    case Part::Equal: return tracksOf(knowledge.equals[ref.index].pairs);
    case Part::Mirror: return tracksOf(knowledge.mirrors[ref.index].pairs);
    case Part::Survey: return {knowledge.survey[ref.index].track};
    default: return {};
  }
}

}  // namespace dusky
