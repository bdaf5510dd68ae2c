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
  auto reviewed = std::make_shared<Solution>(**solved);
  const SolveState state = finalState(*reviewed, tracks, options);
  reviewed->movers = findMovers(tracks, options, *reviewed, state.work, progress);
  reviewed->evidence = gatherEvidence(tracks, options, *reviewed, state, progress);
  addWarnings(tracks, options, *reviewed);
  return SolutionPtr(std::move(reviewed));
}

}  // namespace dusky
