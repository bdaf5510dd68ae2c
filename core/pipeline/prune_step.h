#pragma once
#include "core/pipeline/steps.h"
#include "core/review/prune.h"

namespace dusky {

/// What a pruning works on: a solve of these tracks under this document. A value, safe to use on a worker thread.
struct PruneTask {
  Document document;
  FootageInfo footage;
  TrackSetPtr tracks;
  SolutionPtr solution;
};

/// What a pruning did. Where nothing went, `after` is `before`.
struct Pruned {
  PruneChoice choice;
  std::optional<PrunePrediction> predicted;  ///< Of a pruning by rules.
  SolutionPtr before, after;
  std::string note;  ///< What is to be said of it; empty: nothing.
};

/// What rules would do to the solve, without doing it. Errors: what solveOptionsOf says; Cancelled.
Result<PrunePrediction> predictPruning(const PruneTask& task, const PruneChoice& choice, const Progress& progress);
/// Takes out what the rules say, once, and solves again from where the solve is. Errors: as reviewedSolve.
Result<Pruned> pruneByRules(const PruneTask& task, const PruneRules& rules, const Progress& progress);
/// See pruneWhileItHelps.
Result<Pruned> pruneAutomatically(const PruneTask& task, const Progress& progress);

}  // namespace dusky
