#include "core/review/knowledge_words.h"

#include <fmt/format.h>

#include <numbers>

namespace dusky {
namespace {

double degrees(double radians) { return radians * 180 / std::numbers::pi; }

std::string wordsOf(const SolvedSet& set) {
  std::string line = fmt::format("{:.2f} px ({:.2f} without), ± {:.2g}°", set.rms_px_with, set.rms_px_without, degrees(set.sigma_axis_rad));
  if (!set.undetermined.empty()) line += fmt::format("\nundetermined: {}", set.undetermined);
  constexpr std::size_t kNamed = 3;
  if (set.disagree.empty()) return line;
  line += set.disagree.size() == 1 ? "\n1 track disagrees:" : fmt::format("\n{} tracks disagree:", set.disagree.size());
  for (std::size_t i = 0; i < std::min(kNamed, set.disagree.size()); ++i)
    line += fmt::format("{} {} by {:.0f} σ", i > 0 ? "," : "", set.disagree[i].track, set.disagree[i].sigmas);
  return line + (set.disagree.size() > kNamed ? " …" : "");
}

/// Figures with their unit: degrees where it speaks of directions.
std::string wordsOf(const SolvedStatement& s, std::string_view unit) {
  if (!s.undetermined.empty()) return fmt::format("undetermined: {}", s.undetermined);
  const auto figure = [&](double v) { return s.turns ? fmt::format("{:.2f}°", degrees(v)) : fmt::format("{:.4g} {}", v, unit); };
  if (s.kind == StatementKind::Survey)
    return fmt::format("{} off ({} without), {:.1f} σ, {:.2f} px", figure(s.found), figure(s.without), s.cost_sigmas, s.rms_px);
  const bool off = s.kind == StatementKind::Same || s.kind == StatementKind::Equal || s.kind == StatementKind::Mirror || s.kind == StatementKind::Camera ||
                   s.kind == StatementKind::Orientation;
  std::string line = figure(s.found) + (off ? " off" : "");
  if (!std::isnan(s.without)) line += fmt::format(" ({} without)", figure(s.without));
  if ((s.kind == StatementKind::Distance || s.kind == StatementKind::PlaneDistance) && s.asked > 0)
    line += fmt::format(", {:+.2f} %", 100 * (s.without / s.asked - 1));
  return line + fmt::format(", costs {:.1f} σ", s.cost_sigmas);
}

void add(std::string& lines, const std::string& more) { lines += (lines.empty() || more.empty() ? "" : "\n") + more; }

std::string wordsOf(const SolvedKnowledge& solved, StatementKind kind, const std::string& name, std::string_view unit) {
  std::string lines;
  for (const SolvedStatement& s : solved.statements) {
    if (s.kind == kind && s.name == name) add(lines, wordsOf(s, unit));
  }
  return lines;
}

StatementKind kindOf(RelationKind kind) {
  return kind == RelationKind::Angle ? StatementKind::Angle : kind == RelationKind::Same ? StatementKind::Same : StatementKind::Apart;
}

std::string ofSet(const SolvedKnowledge& solved, const std::string& name, std::string_view unit) {
  const auto found = std::find_if(solved.sets.begin(), solved.sets.end(), [&name](const SolvedSet& s) { return s.name == name; });
  std::string lines = found == solved.sets.end() ? std::string() : wordsOf(*found);
  for (const SolvedStatement& s : solved.statements) {
    const bool of_set = s.kind == StatementKind::Orientation || s.kind == StatementKind::Offset;
    if (of_set && s.a == name) add(lines, fmt::format("{}: {}", s.name.substr(name.size() + 1), wordsOf(s, unit)));
  }
  return lines;
}

}  // namespace

static std::string foundOf(const SolvedKnowledge& solved, const Knowledge& knowledge, StatementRef ref, std::string_view unit) {
  using Part = StatementRef::Part;
  switch (ref.part) {
    case Part::Set: return ofSet(solved, knowledge.sets[ref.index].name, unit);
    case Part::Relation: {
      const KnownRelation& relation = knowledge.relations[ref.index];
      return wordsOf(solved, kindOf(relation.kind), nameOf(relation), unit);
    }
    case Part::Distance: return wordsOf(solved, StatementKind::Distance, nameOf(knowledge.distances[ref.index]), unit);
    case Part::PlaneDistance: return wordsOf(solved, StatementKind::PlaneDistance, nameOf(knowledge.plane_distances[ref.index]), unit);
    case Part::Equal: return wordsOf(solved, StatementKind::Equal, nameOf(knowledge.equals[ref.index]), unit);
    case Part::Mirror: return wordsOf(solved, StatementKind::Mirror, nameOf(knowledge.mirrors[ref.index]), unit);
    case Part::Survey: return wordsOf(solved, StatementKind::Survey, knowledge.survey[ref.index].name, unit);
    case Part::Camera: return wordsOf(solved, StatementKind::Camera, nameOf(knowledge.camera[ref.index]), unit);
  }
  return {};
}

std::string foundInWords(const SolvedKnowledge& solved, const Knowledge& knowledge, StatementRef ref, std::string_view unit) {
  std::string lines = foundOf(solved, knowledge, ref, unit);
  const IfExact* exact = solved.ifExact(keyOf(knowledge, ref));
  if (exact && !(isOn(knowledge, ref) && isExact(knowledge, ref))) add(lines, fmt::format("made exact it would cost {:.1f} σ", exact->cost_sigmas));
  return lines;
}

}  // namespace dusky
