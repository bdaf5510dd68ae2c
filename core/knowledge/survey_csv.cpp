// A survey as a spreadsheet writes it.
#include <fmt/format.h>

#include <charconv>
#include <cmath>
#include <optional>
#include <sstream>

#include "core/base/length_units.h"
#include "core/knowledge/knowledge_turn.h"

namespace dusky {
namespace {

std::string_view trimmed(std::string_view text) {
  constexpr std::string_view kSpace = " \t\r\"";
  const auto first = text.find_first_not_of(kSpace);
  return first == std::string_view::npos ? std::string_view() : text.substr(first, text.find_last_not_of(kSpace) - first + 1);
}

std::vector<std::string_view> fieldsOf(std::string_view line) {
  const char between = line.find(',') == std::string_view::npos ? ';' : ',';
  std::vector<std::string_view> fields;
  for (std::size_t at = 0; at <= line.size();) {
    const auto end = std::min(line.find(between, at), line.size());
    fields.push_back(trimmed(line.substr(at, end - at)));
    at = end + 1;
  }
  return fields;
}

std::optional<double> numberOf(std::string_view text) {
  double value = 0;
  const auto read = std::from_chars(text.data(), text.data() + text.size(), value);
  return read.ec == std::errc() && read.ptr == text.data() + text.size() && std::isfinite(value) ? std::optional(value) : std::nullopt;
}

Result<double> unitOf(std::string_view name) {
  for (const auto& [unit, metres] : kLengthUnits) {
    if (name == unit) return metres;
  }
  return unreadable(fmt::format("There is no unit \"{}\": m, cm, mm, ft and in are known.", name));
}

/// A line "# unit: mm" or "# up: z" holds for all that follows; others are remarks.
Status hearRemark(std::string_view line, double& metres, std::optional<UpAxis>& up) {
  const auto colon = line.find(':');
  if (colon == std::string_view::npos) return Done{};
  const std::string_view of = trimmed(line.substr(1, colon - 1)), said = trimmed(line.substr(colon + 1));
  if (of.find("unit") != std::string_view::npos) {
    const auto unit = unitOf(said);
    if (!unit.ok()) return unit.error();
    metres = *unit;
  } else if (of == "up") {
    const bool z = said == "z" || said == "Z";
    if (!z && said != "y" && said != "Y") return unreadable(fmt::format("Up is y or z, not \"{}\".", said));
    up = z ? UpAxis::Z : UpAxis::Y;
  }
  return Done{};
}

std::optional<KnowledgeFile::Survey> surveyOf(const std::vector<std::string_view>& fields, double metres) {
  if (fields.size() != 4 && fields.size() != 5 && fields.size() != 7) return std::nullopt;
  std::vector<double> numbers;
  for (std::size_t k = 1; k < fields.size(); ++k) {
    const auto number = numberOf(fields[k]);
    if (!number) return std::nullopt;
    numbers.push_back(metres * *number);
  }
  KnowledgeFile::Survey survey;
  survey.point.name = survey.member.name = fields[0];
  survey.point.at = Vec3(numbers[0], numbers[1], numbers[2]);
  if (numbers.size() == 4) survey.point.sigma = Vec3::Constant(numbers[3]);
  if (numbers.size() == 6) survey.point.sigma = Vec3(numbers[3], numbers[4], numbers[5]);
  return survey;
}

}  // namespace

Result<KnowledgeFile> surveyFromCsv(const std::string& text) {
  KnowledgeFile file;
  std::istringstream lines(text);
  std::string line;
  double metres = 1;
  bool first = true;
  for (int number = 1; std::getline(lines, line); ++number) {
    const std::string_view all = trimmed(line);
    if (all.empty()) continue;
    if (all.front() == '#') {
      if (const Status heard = hearRemark(all, metres, file.up); !heard.ok()) return unreadable(fmt::format("Line {}: {}", number, heard.error().message));
      continue;
    }
    const auto fields = fieldsOf(all);
    const bool heading = std::exchange(first, false) && fields.size() > 1 && (fields[1] == "x" || fields[1] == "X");
    if (heading) continue;
    const auto survey = surveyOf(fields, metres);
    if (!survey || survey->point.name.empty())
      return unreadable(fmt::format("Line {}: \"{}\" is not name,x,y,z or name,x,y,z,sigma (or three of them), in numbers.", number, all.substr(0, 60)));
    file.survey.push_back(*survey);
  }
  if (file.survey.empty()) return invalidInput("There is no survey point in it.");
  if (file.up) turnNumbers(file, upAxisTurn(*file.up).conjugate());
  return file;
}

}  // namespace dusky
