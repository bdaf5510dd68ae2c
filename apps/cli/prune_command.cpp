#include <fmt/format.h>

#include "apps/cli/cli.h"
#include "apps/cli/progress_line.h"
#include "core/base/atomic_file.h"
#include "core/base/json_text.h"
#include "core/base/thread_limit.h"
#include "core/pipeline/workspace.h"

namespace dusky::cli {
namespace {

using Json = nlohmann::ordered_json;

struct Arguments {
  std::string project, rules_file;
  bool automatic = false, save = false, json = false, quiet = false;
  int threads = 0;
};

void printText(const Pruned& p, bool saved) {
  const Solution &b = *p.before, &a = *p.after;
  fmt::print("set aside {} tracks and {} sightings{}\n", p.choice.tracks.size(), p.choice.sightings.size(),
             p.choice.spared.empty() ? "" : fmt::format("; {} more are needed where few are left", p.choice.spared.size()));
  for (std::size_t r = 0; r < p.choice.by_rule.size(); ++r) {
    if (p.choice.by_rule[r] > 0) fmt::print("  {:<24} {}\n", describe(static_cast<PruneRule>(r)), p.choice.by_rule[r]);
  }
  if (p.choice.fewest_tracks > 0) fmt::print("fewest   {} kept tracks in frame {}\n", p.choice.fewest_tracks, p.choice.fewest_frame);
  fmt::print("RMS      {:.3f} to {:.3f} px{}\n", b.rms_px, a.rms_px, p.predicted ? fmt::format(", predicted {:.3f}", p.predicted->rms_px) : "");
  fmt::print("holdout  {:.3f} to {:.3f} px{}\n", b.holdout_rms_px, a.holdout_rms_px,
             p.predicted ? fmt::format(", predicted {:.3f}", p.predicted->holdout_rms_px) : "");
  fmt::print("focal    {:.1f} to {:.1f} px\n", b.lens().focal_px, a.lens().focal_px);
  fmt::print("halves   {:.2f} to {:.2f} px\n", b.evidence.stability_px, a.evidence.stability_px);
  if (!p.note.empty()) fmt::print("note     {}\n", p.note);
  if (!saved) fmt::print("note     the project is left as it was; --save keeps this\n");
}

void printJson(const Pruned& p, bool saved) {
  Json rules;
  for (std::size_t r = 0; r < p.choice.by_rule.size(); ++r) rules[std::string(describe(static_cast<PruneRule>(r)))] = p.choice.by_rule[r];
  Json sightings = Json::array();
  for (const TrackFrame& s : p.choice.sightings) sightings.push_back({s.track, s.frame});
  const auto figures = [](const Solution& s) {
    return Json{{"rms_px", numberOrNull(s.rms_px)},
                {"holdout_rms_px", numberOrNull(s.holdout_rms_px)},
                {"focal_px", numberOrNull(s.lens().focal_px)},
                {"stability_px", numberOrNull(s.evidence.stability_px)}};
  };
  Json predicted = nullptr;
  if (p.predicted)
    predicted = {{"rms_px", numberOrNull(p.predicted->rms_px)},
                 {"holdout_rms_px", numberOrNull(p.predicted->holdout_rms_px)},
                 {"focal_px", numberOrNull(p.predicted->focal_px)},
                 {"slip_px", numberOrNull(p.predicted->slip_px)},
                 {"focal_shift_sigmas", numberOrNull(p.predicted->focal_shift_sigmas)},
                 {"path_shift_sigmas", numberOrNull(p.predicted->path_shift_sigmas)},
                 {"path_frame", p.predicted->path_frame}};
  fmt::print("{}\n", Json{{"format", "dusky-moth-prune"},
                          {"version", 1},
                          {"set_aside", p.choice.tracks},
                          {"dropped", sightings},
                          {"spared", p.choice.spared},
                          {"by_rule", rules},
                          {"before", figures(*p.before)},
                          {"after", figures(*p.after)},
                          {"predicted", predicted},
                          {"note", p.note},
                          {"saved", saved}}
                         .dump(1));
}

int prune(Arguments a, std::stop_token stop) {
  const ThreadLimit limit(a.threads);
  if (a.automatic && !a.rules_file.empty()) return failWith(invalidInput("Give --auto or --rules FILE, not both."));
  Workspace workspace;
  const auto access = a.save ? ProjectStore::Access::Write : ProjectStore::Access::Read;
  if (const Status opened = workspace.openProject(a.project, nullptr, access); !opened.ok()) return failWith(opened.error());
  if (a.save && !workspace.readOnlyBecause().empty()) return failWith(cannotWrite(workspace.readOnlyBecause()));
  PruneRules rules = workspace.document().prune;
  if (!a.rules_file.empty()) {
    const auto text = readFile(a.rules_file);
    if (!text.ok()) return failWith(text.error());
    const auto read = rulesFromJson(*text);
    if (!read.ok()) return failWith(Error{read.error().kind, fmt::format("{}: {}", a.rules_file, read.error().message)});
    rules = *read;
  }
  if (!a.automatic && !rules.any()) return failWith(invalidInput(fmt::format("{} has no rules of its own. Give --rules FILE, or --auto.", a.project)));
  if (!workspace.solution() || workspace.status(Step::Solve).state != StepState::Current)
    return failWith(invalidInput(fmt::format("{} holds no solve of its present settings. Solve it first: moth solve {} -o DIR --save.", a.project, a.project)));
  const Progress line(progressListener(a.quiet ? ProgressStyle::Quiet : ProgressStyle::Line), stop);
  const PruneTask task{workspace.document(), workspace.footage(), workspace.tracks(), workspace.solution()};
  const auto pruned = a.automatic ? pruneAutomatically(task, line) : pruneByRules(task, rules, line);
  if (!pruned.ok()) return failWith(pruned.error());
  if (a.save) {
    if (const Status taken = workspace.takePruned(*pruned); !taken.ok()) return failWith(taken.error());
    if (const Status written = workspace.flush(); !written.ok()) return failWith(written.error());
  }
  a.json ? printJson(*pruned, a.save) : printText(*pruned, a.save);
  return kSolved;
}

}  // namespace

void addPrune(CLI::App& app, std::stop_token stop, int& code) {
  auto* command =
      app.add_subcommand("prune",
                         "Takes tracks and sightings out of a solve by rules, solves again, and says what it did. By the project's own rules, by a file of\n"
                         "rules, or by itself until that stops helping. The project is left alone unless --save is given.");
  auto a = std::make_shared<Arguments>();
  command->add_option("PROJECT", a->project, "A solved project (.moth)")->required();
  command->add_option("--rules", a->rules_file, "Rules as JSON (dusky-moth-rules)");
  command->add_flag("--auto", a->automatic, "Rounds of rules found from the solve, until neither holdout nor the halves get better");
  command->add_flag("--save", a->save, "Keep what came of it in the project, as a run of its ledger");
  command->add_flag("--json", a->json, "One JSON object");
  command->add_flag("--quiet", a->quiet, "No progress");
  command->add_option("--threads", a->threads, "At most so many (all)")->check(CLI::NonNegativeNumber);
  command->callback([a, stop, &code] { code = prune(*a, stop); });
}

}  // namespace dusky::cli
