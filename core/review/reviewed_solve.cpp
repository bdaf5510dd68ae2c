#include "core/review/reviewed_solve.h"

#include "core/review/evidence.h"
#include "core/review/movers.h"
#include "core/review/warnings.h"
#include "core/solve/warm_start.h"

namespace dusky {

Result<SolutionPtr> reviewedSolve(const TrackSet& tracks, const SolveOptions& options, const Progress& progress,
                                  const std::function<void(SolutionPtr)>& on_partial, const SolutionPtr& from) {
  auto solved = solveShot(tracks, options, progress, on_partial, from);
  if (!solved.ok()) return solved;
  return reviewed(tracks, options, *solved, progress);
}

SolutionPtr reviewed(const TrackSet& tracks, const SolveOptions& options, const SolutionPtr& solution, const Progress& progress) {
  auto result = std::make_shared<Solution>(*solution);
  const SolveState state = finalState(*result, tracks, options);
  result->movers = findMovers(tracks, options, *result, state.work, progress);
  result->evidence = gatherEvidence(tracks, options, *result, state, progress);
  addWarnings(tracks, options, *result);
  return result;
}

}  // namespace dusky
