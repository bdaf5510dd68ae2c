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

void lookThrough(Reconstruction& work, double focal_times) {
  for (Lens& lens : work.lenses) lens.focal_px *= focal_times;
  for (double& focal : work.focal_px) focal *= focal_times;
  const Vec3 middle = pathExtent(work).middle;
  Vec3 along = Vec3::Zero();
  for (const auto& pose : work.poses) along += pose ? pose->direction(Vec3::UnitZ()) : Vec3::Zero();
  along.normalize();
  const auto deeper = [&](Vec3& place) { place += (focal_times - 1) * along.dot(place - middle) * along; };
  for (auto& pose : work.poses) {
    if (pose) deeper(pose->centre);
  }
  for (WorkTrack& track : work.tracks) {
    if (track.point && !track.at_infinity) deeper(*track.point);
    if (track.point && track.at_infinity) *track.point = (*track.point + (focal_times - 1) * along.dot(*track.point) * along).normalized();
  }
}

SolveState throughOtherFocal(SolveState state, double focal_times, const SolveTask& task) {
  lookThrough(state.work, focal_times);
  for (const bool focal_held : {true, false}) {
    sortOutRoughly(state, true);
    BundleOptions options = robustOptions(state, task.options);
    options.loss_px = std::max(options.loss_px, 1.5), options.max_steps = 60, options.settled = 1e-6;
    adjustReconstruction(state.work, focal_held ? withFocalHeld(options) : options, task.progress.silent());
  }
  settle(state, task, 3, task.progress.silent());
  return state;
}

SolveState leavingPivot(SolveState state, const SolveTask& task) {
  state.work.arm.reset();
  settle(state, task, 4, task.progress.silent());
  return state;
}

}  // namespace dusky
