#pragma once
#include "core/base/progress.h"
#include "core/review/prune_rules.h"
#include "core/solve/solve_shot.h"

namespace dusky {

/// The options of a solve without what a choice takes out.
SolveOptions without(SolveOptions options, const PruneChoice& choice);

/// What a pruning is expected to do, before it is done.
struct PrunePrediction {
  double rms_px = kUnknown, holdout_rms_px = kUnknown;  ///< After it.
  double focal_px = kUnknown;                           ///< After it, in the middle frame.
  double focal_shift_sigmas = kUnknown;                 ///< How far that is from before, in standard deviations; unknown where it was held.
  double path_shift_sigmas = kUnknown;                  ///< The same for the camera's place, in the frame where it is most.
  int path_frame = 0;
  double slip_px = kUnknown;  ///< What an insert slips between before and after.
};
/// One step of the standing normal equations without what goes, everything else following; nothing of the earlier solve is changed. `options`: those of the
/// solve, with what goes taken out of them (without()). Errors: Cancelled; InvalidInput when the tracks are others.
Result<PrunePrediction> predictPruning(const Solution& from, const TrackSet& tracks, const SolveOptions& options, const Progress& progress);

/// One round of automatic pruning.
struct PruneRound {
  PruneRules rules;
  PruneChoice choice;
  SolutionPtr solution;  ///< Solved again without what went.
  bool better = false;
  std::string why;  ///< Why it is better, or is not.
};
struct PruneRun {
  std::vector<PruneRound> rounds;  ///< The last one may be no better: then what was before it stands.
  SolutionPtr best;                ///< The earlier solve where no round helped.
  SolveOptions options;            ///< Of `best`.
};
/// Rounds of rules that are found from the solve itself, each solved again, until neither the holdout error nor the agreement of the halves gets better.
/// Stopped, what was best by then stands. `on_round` hears each. Errors: as reviewedSolve for the first round.
Result<PruneRun> pruneWhileItHelps(const SolutionPtr& from, const TrackSet& tracks, const SolveOptions& options, const std::vector<int>& pinned,
                                   const Progress& progress, const std::function<void(const PruneRound&)>& on_round = {});

}  // namespace dusky
