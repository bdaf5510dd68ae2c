#include <fmt/format.h>

#include "apps/cli/cli.h"
#include "apps/cli/footage_arguments.h"
#include "core/base/json_text.h"
#include "core/pipeline/workspace.h"

namespace dusky::cli {
namespace {

struct SweepArguments : FootageArguments {
  SweepOptions sweep;
  SweepAxis second;
  bool json = false;
};

constexpr std::array<std::string_view, 4> kVerdicts = {"clear", "several", "flat", "beyond"};

void printJson(const SweepArguments& a, const SweepResult& result) {
  nlohmann::ordered_json points = nlohmann::ordered_json::array();
  for (const SweepPoint& p : result.points) {
    points.push_back({{"value", p.value}, {"rms_px", numberOrNull(p.rms_px)}, {"apart", numberOrNull(p.chi_squared)}});
    if (!a.second.parameter.empty()) points.back()["second"] = p.second;
  }
  fmt::print("{}\n", nlohmann::ordered_json{{"format", "dusky-moth-sweep"},
                                            {"version", 1},
                                            {"parameter", a.sweep.first.parameter},
                                            {"second", a.second.parameter},
                                            {"verdict", kVerdicts[static_cast<std::size_t>(result.verdict)]},
                                            {"best", numberOrNull(result.best)},
                                            {"best_second", numberOrNull(result.best_second)},
                                            {"sigma", numberOrNull(result.sigma)},
                                            {"valleys", result.valleys},
                                            {"sentence", result.sentence},
                                            {"points", points}}
                         .dump(1));
}

void printText(const SweepArguments& a, const SweepResult& result) {
  const bool two = !a.second.parameter.empty();
  fmt::print("{:>14}{}  RMS px    apart\n", a.sweep.first.parameter, two ? fmt::format(" {:>14}", a.second.parameter) : "");
  for (const SweepPoint& p : result.points)
    fmt::print("{:>14.6g}{} {:7.4f} {:8.2f}\n", p.value, two ? fmt::format(" {:>14.6g}", p.second) : "", p.rms_px, p.chi_squared);
  fmt::print("{}\n", result.sentence);
}

Status checkSecond(const SweepArguments& a, const CLI::App& command) {
  if (!a.second.parameter.empty()) return Done{};
  for (const char* name : {"--second-from", "--second-to", "--second-points"}) {
    if (command.get_option(name)->count() > 0) return invalidInput(fmt::format("{} needs --second, the second scalar.", name));
  }
  return Done{};
}

int sweepNow(SweepArguments a, const CLI::App& command, std::stop_token stop) {
  if (const Status fine = checkSecond(a, command); !fine.ok()) return failWith(fine.error());
  if (!a.second.parameter.empty()) a.sweep.second = a.second;
  if (const Status fine = a.sweep.check(); !fine.ok()) return failWith(fine.error());
  const ThreadLimit limit(a.threads);
  const Progress progress = a.makeProgress(stop);
  Workspace workspace;
  if (const Status ready = a.prepare(workspace); !ready.ok()) return failWith(ready.error());
  if (!workspace.solution() || !workspace.tracks()) {
    if (const Status tracked = trackNow(workspace, progress.part(0, 0.5)); !tracked.ok()) return failWith(tracked.error());
    if (const Status solved = solveNow(workspace, progress.part(0.5, 0.7)); !solved.ok()) return failWith(solved.error());
  }
  const auto result = runSweep(workspace.document(), workspace.footage(), *workspace.tracks(), *workspace.solution(), a.sweep, progress.part(0.7, 1));
  if (!result.ok()) return failWith(result.error());
  a.json ? printJson(a, *result) : printText(a, *result);
  return kSolved;
}
}  // namespace

void addSweep(CLI::App& app, std::stop_token stop, int& code) {
  auto* command =
      app.add_subcommand("sweep",
                         "Holds one scalar of the solve (or two) at each value of a range, adjusts everything else, and says what the footage tells\n"
                         "about it: a clear valley, several, or none. FOOTAGE is best a solved project (.moth); footage is solved first.");
  auto a = std::make_shared<SweepArguments>();
  a->addFootage(*command);
  command
      ->add_option("--parameter", a->sweep.first.parameter,
                   "focal_px, cx_px, cy_px, a coefficient of the lens (k1 ...), readout_ms, or a value of what is known (\"angle of A and B\")")
      ->required();
  command->add_option("--from", a->sweep.first.from, "First value")->required();
  command->add_option("--to", a->sweep.first.to, "Last value")->required();
  command->add_option("--points", a->sweep.first.points, "Of the wide pass, 3 to 200; more follow about each valley")->capture_default_str();
  command->add_option("--second", a->second.parameter, "A second scalar: both together, on a grid");
  command->add_option("--second-from", a->second.from, "Its first value");
  command->add_option("--second-to", a->second.to, "Its last value");
  command->add_option("--second-points", a->second.points, "3 to 200")->capture_default_str();
  command->add_flag("--json", a->json, "One JSON object");
  a->addTracking(*command);
  a->addRunning(*command);
  command->callback([a, stop, command, &code] { code = sweepNow(*a, *command, stop); });
}
}  // namespace dusky::cli
