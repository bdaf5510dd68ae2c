#include "core/solve/other_valleys.h"

#include "core/solve/arm.h"
#include "core/solve/sort_out.h"

namespace dusky {

SolveState insideOut(SolveState state, const SolveTask& task) {
  Reconstruction& work = state.work;
  const Progress silent = task.progress.silent();
  turnInsideOut(work);
  BundleOptions options = adjustOptions(state, task.options);
  options.loss_px = 2;
  if (options.freeOf(0)[0] || options.free_focal) {
    beginBeforeInfinity(work);
    adjustReconstruction(work, withFocalHeld(options), silent);
  }
  adjustReconstruction(work, options, silent);
  settle(state, task, 3, silent);
  return state;
}

SolveState fromPivot(SolveState state, double side, const SolveTask& task) {
  Reconstruction& work = state.work;
  const Progress silent = task.progress.silent();
  state.nodal = false;
  letHeldFramesGo(state);
  beginOnArm(work, side * Vec3::UnitZ());
  beginBeforeInfinity(work);
  tieZoom(state);
  for (const bool focal_held : {true, false, false}) {
    sortOutRoughly(state);
    BundleOptions options = adjustOptions(state, task.options);
    options.loss_px = 1.5;
    adjustReconstruction(work, focal_held ? withFocalHeld(options) : options, silent);
  }
  settle(state, task, 2, silent);
  return state;
}

SolveState leavingPivot(SolveState state, const SolveTask& task) {
  state.work.arm.reset();
  settle(state, task, 4, task.progress.silent());
  return state;
}

}  // namespace dusky
