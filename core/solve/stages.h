#pragma once
#include <functional>

#include "core/solve/solve_state.h"

namespace dusky {

/// What all stages of one solve are given.
struct SolveTask {
  const TrackSet& tracks;
  const SolveOptions& options;
  const Progress& progress;                       ///< Of the whole solve: asked whether to stop.
  std::function<void(const SolveState&)> show{};  ///< Hears the state as it grows; may be empty.
  void tell(const SolveState& state) const {
    if (show) show(state);
  }
};

// The stages of a solve. Each takes a state on; stopped, it leaves the state usable and the caller asks the progress.

/// Gives every frame that has none a camera, where the tracks allow it: from the placed frames outwards, rotating in place where that is all
/// the tracks tell.
void placeAllFrames(SolveState& state, const SolveTask& task, const Progress& progress);

/// Adjusts and sorts out until the same observations stay, at most `rounds` times.
void settle(SolveState& state, const SolveTask& task, int rounds, const Progress& progress);

/// Adjusts under a robust loss, along a long valley too: until a step lowers the cost by less than a share of it, or so many are tried. Gives the cost, px^2.
double adjustToTheEnd(SolveState& state, const SolveTask& task, int most_steps = 150, double settled = 1e-7);

/// Gives tracks their places (`all`: those that have one too) and marks what lies near enough for lens and path that are still rough.
void sortOutRoughly(SolveState& state, bool all = false);

/// Gives tracks their places and marks what lies within four standard deviations; where frames may still be off as a whole, what lies near enough to bring
/// them back.
void sortOutNow(SolveState& state, bool frames_may_be_off = false);

/// The lens from a part of the frames (it is the same in all of them), rung by rung; the other frames are placed anew under it.
void findLens(SolveState& state, const SolveTask& task);

/// The lens from all placed frames, rung by rung: where frames and their neighbours belong together, as under a rolling shutter.
void findLensAgain(SolveState& state, const SolveTask& task, const Progress& progress);

/// Lets all but a well-spread share of the tracks rest: until the lens is found and every frame stands, that is enough.
void shareTracks(SolveState& state);

/// Plain least squares over all tracks that stay; what it shows to be wrong goes, once; then to the end.
void finish(SolveState& state, const SolveTask& task, const Progress& progress);

}  // namespace dusky
