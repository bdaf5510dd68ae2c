#include <fmt/format.h>

#include "apps/cli/cli.h"
#include "core/deliver/compare.h"

namespace dusky::cli {
namespace {

int compare(const std::string& report, const std::string& truth, bool json) {
  const auto solved = readShotRecord(report);
  if (!solved.ok()) return failWith(solved.error());
  const auto known = readShotRecord(truth);
  if (!known.ok()) return failWith(known.error());
  const auto result = compareShots(*solved, *known);
  if (!result.ok()) return failWith(result.error());
  fmt::print("{}", json ? result->json() : result->text());
  return kSolved;
}

}  // namespace

void addCompare(CLI::App& app, int& code) {
  auto* command = app.add_subcommand("compare",
                                     "How far a solve is from a known truth: camera path, focal length, lens, and insert slip (true static\n"
                                     "points carried into the solved world: where they land against where they are).");
  struct Arguments {
    std::string report, truth;
    bool json = false;
  };
  auto arguments = std::make_shared<Arguments>();
  command->add_option("REPORT", arguments->report, "report.json of a solve")->required();
  command->add_option("TRUTH", arguments->truth, "truth file of the shot (docs/formats.md), or another report")->required();
  command->add_flag("--json", arguments->json, "Print one JSON object instead of text");
  command->callback([arguments, &code] { code = compare(arguments->report, arguments->truth, arguments->json); });
}

}  // namespace dusky::cli
