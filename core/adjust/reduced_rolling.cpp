#include "core/adjust/reduced_system.h"
#include "core/base/parallel.h"

namespace dusky {

/// Under a rolling shutter a frame's motion is told by its neighbours' places, so they answer for its errors too. The matrix does without: what they add to it
/// is a hundredth, and would widen its envelope. With the gradient whole the way ends where the cost is least.
void ReducedSystem::addMotionGradient() {
  if (bundle_.readout == 0) return;
  const int cameras = static_cast<int>(bundle_.cameras.size());
  std::vector<FrameMotion> pull(bundle_.cameras.size());  // half the cost's slope by a frame's motion
  parallelFor(cameras, [&](int c) {
    for (const int i : of_camera_[c]) {
      const BundleObservation& o = bundle_.observations[i];
      const Linearised& row = rows_[i];
      const double later = bundle_.readout * rowTime(o.seen.y(), bundle_.lenses.front().height);
      pull[c].rotation += later * row.by_rotation.transpose() * row.residual;
      if (!options_.fixed_centres && !bundle_.isAtInfinity(o.point)) pull[c].velocity -= later * row.by_point.transpose() * row.residual;
    }
  });
  for (int c = 0; c < cameras; ++c) {
    const auto [before, after] = motionNeighbours(bundle_, c);
    const double time = bundle_.timeOf(after) - bundle_.timeOf(before);
    if (time <= 0) continue;
    for (const auto& [camera, share] : {std::pair(after, 1 / time), std::pair(before, -1 / time)}) {
      if (bundle_.isHeld(camera)) continue;
      const Eigen::Quaterniond there_from_here = bundle_.cameras[camera].world_from_camera.conjugate() * bundle_.cameras[c].world_from_camera;
      gradient_.segment<3>(rowOf(camera)) -= share * (there_from_here * pull[c].rotation);
      if (!options_.fixed_centres) gradient_.segment<3>(rowOf(camera) + 3) -= share * pull[c].velocity;
    }
  }
}

}  // namespace dusky
