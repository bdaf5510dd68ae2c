#include "core/solve/locked_off.h"

#include <algorithm>
#include <numeric>

#include "core/solve/rotation_only.h"
#include "core/solve/sort_out.h"
#include "core/solve/start.h"

namespace dusky {

bool focalIsOpen(const SolveOptions& options, LensModel model) {
  const bool said = options.focal == FocalKnowledge::Locked || options.focal == FocalKnowledge::Near || options.known_lens;
  return !said && !knownValueOf(options, model, 0);
}

Result<SolveState> lockedOff(const SolveTask& task) {
  std::vector<SkeletonStart> starts = startsToTry(task.options, task.tracks.width, task.tracks.height);
  SkeletonStart& with = starts[starts.size() / 2];
  with.zoom = false, with.free_lens = {};
  SolveState state = startingState(task.tracks, task.options);
  std::vector<int> frames(state.work.poses.size());
  std::iota(frames.begin(), frames.end(), 0);
  auto turning = rotateOnly(state.work, frames, with, static_cast<std::uint64_t>(task.options.seed), task.progress);
  if (task.progress.stopRequested()) return cancelled();
  if (!turning) return cannotSolve("Too few tracks live long enough to hold one picture against another.");
  state.work = std::move(turning->work);
  state.nodal = state.lens_settled = true;
  state.spread_px = errorSpread(state.work);
  state.motion_why = "The camera neither moves nor turns: it is locked off.";
  sortOutNow(state);
  return state;
}

}  // namespace dusky
