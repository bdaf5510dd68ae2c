#include "core/knowledge/statements.h"

#include <fmt/format.h>

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

std::string wordsOf(const SurveyPoint& point, std::string_view) {
  return fmt::format("{}: survey point, track {}{}", point.name, point.track, give(point.sigma.maxCoeff(), "m"));
}

std::string wordsOf(const KnownCamera& camera, std::string_view unit) {
  return nameOf(camera) + give(camera.sigma, camera.fact == CameraFact::Rotation ? "°" : unit);
}

}  // namespace

std::vector<StatementRef> statementsOf(const Knowledge& knowledge) {
  std::vector<StatementRef> all;
  for (const Part part : {Part::Set, Part::Relation, Part::Distance, Part::Survey, Part::Camera}) {
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
std::string nameOf(const KnownCamera& camera) {
  const std::string range = camera.first == camera.last ? fmt::format("frame {}", camera.first) : fmt::format("frames {} to {}", camera.first, camera.last);
  return fmt::format("camera {}, {}", describe(camera.fact), range);
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

void switchStatement(Knowledge& knowledge, StatementRef ref, bool on) {
  inList(knowledge, ref.part, [&](auto& list) { list[ref.index].on = on; });
  if (ref.part == Part::Set) {
    for (KnownRelation& relation : knowledge.relations) relation.on = relation.on && knowledge.find(relation.a)->on && knowledge.find(relation.b)->on;
  }
  if (ref.part != Part::Relation || !on) return;
  const KnownRelation& relation = knowledge.relations[ref.index];
  for (KnownSet& set : knowledge.sets) set.on = set.on || set.name == relation.a || set.name == relation.b;
}

void removeStatement(Knowledge& knowledge, StatementRef ref) {
  if (ref.part == Part::Set) {
    const std::string name = knowledge.sets[ref.index].name;
    std::erase_if(knowledge.relations, [&name](const KnownRelation& relation) { return relation.a == name || relation.b == name; });
  }
  inList(knowledge, ref.part, [&](auto& list) { list.erase(list.begin() + static_cast<std::ptrdiff_t>(ref.index)); });
}

std::vector<int> tracksOf(const Knowledge& knowledge, StatementRef ref) {
  switch (ref.part) {
    case Part::Set: return knowledge.sets[ref.index].tracks;
    case Part::Distance: return {knowledge.distances[ref.index].from, knowledge.distances[ref.index].to};
    case Part::Survey: return {knowledge.survey[ref.index].track};
    default: return {};
  }
}

}  // namespace dusky
