#include "core/pipeline/prune_step.h"

#include <fmt/format.h>

#include <algorithm>

#include "core/pipeline/knowledge_step.h"

namespace dusky {

Result<PrunePrediction> predictPruning(const PruneTask& task, const PruneChoice& choice, const Progress& progress) {
  const auto options = solveOptionsOf(task.document, task.footage);
  if (!options.ok()) return options.error();
  return predictPruning(*task.solution, *task.tracks, without(*options, choice), progress);
}

Result<Pruned> pruneByRules(const PruneTask& task, const PruneRules& rules, const Progress& progress) {
  const SolutionPtr& from = task.solution;
  const auto options = solveOptionsOf(task.document, task.footage);
  if (!options.ok()) return options.error();
  Pruned pruned{
      .choice = choosePruning(*from, *task.tracks, rules, task.document.picks.pinned), .predicted = std::nullopt, .before = from, .after = from, .note = {}};
  if (pruned.choice.empty()) {
    pruned.note = "By these rules nothing goes.";
    return pruned;
  }
  const SolveOptions fewer = without(*options, pruned.choice);
  const auto predicted = predictPruning(*from, *task.tracks, fewer, progress.part(0, 0.1));
  if (!predicted.ok()) return predicted.error();
  pruned.predicted = *predicted;
  const auto plain = solveShot(*task.tracks, fewer, progress.part(0.1, 0.7), {}, from);
  if (!plain.ok()) return plain.error();
  const auto solved = solvedWithKnowledge(task.document, fewer, *task.tracks, *plain, progress.part(0.7, 1));
  if (!solved.ok()) return solved.error();
  pruned.after = *solved;
  return pruned;
}

static std::string noteOf(const PruneRun& run, int helped) {
  if (run.rounds.empty()) return "Nothing stands out that should go.";
  const std::string so_far = helped == 0 ? "No round helped" : fmt::format("{} {} helped", helped, helped == 1 ? "round" : "rounds");
  const PruneRound& last = run.rounds.back();
  return last.better ? so_far + "." : fmt::format("{}. Without {} more tracks the camera is no better: {}.", so_far, last.choice.tracks.size(), last.why);
}

Result<Pruned> pruneAutomatically(const PruneTask& task, const Progress& progress) {
  const SolutionPtr& from = task.solution;
  const auto options = solveOptionsOf(task.document, task.footage);
  if (!options.ok()) return options.error();
  const auto run = pruneWhileItHelps(from, *task.tracks, *options, task.document.picks.pinned, progress);
  if (!run.ok()) return run.error();
  Pruned pruned{.choice = {}, .predicted = std::nullopt, .before = from, .after = run->best, .note = {}};
  int rounds = 0;
  for (const PruneRound& round : run->rounds) {
    if (!round.better) continue;
    ++rounds;
    pruned.choice.tracks.insert(pruned.choice.tracks.end(), round.choice.tracks.begin(), round.choice.tracks.end());
    for (std::size_t r = 0; r < round.choice.by_rule.size(); ++r) pruned.choice.by_rule[r] += round.choice.by_rule[r];
    pruned.choice.spared = round.choice.spared, pruned.choice.fewest_frame = round.choice.fewest_frame,
    pruned.choice.fewest_tracks = round.choice.fewest_tracks;
  }
  std::sort(pruned.choice.tracks.begin(), pruned.choice.tracks.end());
  if (rounds > 0 && task.document.picks.knowledge.says()) {  // the rounds are judged by the footage alone
    const auto known = solvedWithKnowledge(task.document, without(*options, pruned.choice), *task.tracks, pruned.after, progress.part(1, 1));
    if (!known.ok()) return known.error();
    pruned.after = *known;
  }
  pruned.note = noteOf(*run, rounds);
  return pruned;
}

}  // namespace dusky
