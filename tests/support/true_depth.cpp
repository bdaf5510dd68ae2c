#include "tests/support/true_depth.h"

#include <algorithm>

#include "core/base/parallel.h"

namespace dusky::testing {

constexpr double kFarthest = 60;

ShotPlan depthPlan() {
  ShotPlan plan = planShot(ShotKind::Free);
  plan.width = 480, plan.height = 270, plan.frames = 24, plan.first_frame = 1001, plan.samples = 2;
  plan.lens = Lens::simple(480, 270, 420);
  return plan;
}

Pinhole straightCamera(const MadeShot& shot, int index) {
  const auto i = static_cast<std::size_t>(index);
  const Lens& lens = shot.truth().lenses[i];
  return {lens.width, lens.height, lens.focal_px, lens.focal_px * lens.pixel_aspect, lens.cx_px, lens.cy_px, shot.truth().poses[i]};
}

FloatPlane depthSeen(const MadeShot& shot, int index, const Lens& lens) {
  const Pose& pose = shot.truth().poses[static_cast<std::size_t>(index)];
  FloatPlane depth(lens.width, lens.height);
  parallelFor(lens.height, [&](int y) {
    for (int x = 0; x < lens.width; ++x) {
      const auto normalised = lens.undistort({x + 0.5, y + 0.5});
      const auto met = normalised ? shot.meet(pose.centre, pose.direction(normalised->homogeneous()), index) : std::nullopt;
      const double z = met ? pose.toCamera(*met).z() : 0;
      depth.at(x, y) = z < kFarthest ? static_cast<float>(z) : 0;
    }
  });
  return depth;
}

TrueDepth trueDepth(const MadeShot& shot, int index) {
  return {straightCamera(shot, index), depthSeen(shot, index, shot.truth().lenses[static_cast<std::size_t>(index)])};
}

DepthErrors TrueDepth::errorsOf(const FloatPlane& found) const {
  std::vector<double> errors;
  for (std::size_t i = 0; i < depth.data.size(); ++i) {
    if (depth.data[i] > 0 && found.data[i] > 0) errors.push_back(static_cast<double>(std::abs(found.data[i] / depth.data[i] - 1)));
  }
  std::sort(errors.begin(), errors.end());
  DepthErrors made;
  if (errors.empty()) return made;
  made.within_1_percent = static_cast<double>(std::lower_bound(errors.begin(), errors.end(), 0.01) - errors.begin()) / static_cast<double>(errors.size());
  made.median = errors[errors.size() / 2];
  return made;
}

InverseDepthRange TrueDepth::range() const {
  float near = static_cast<float>(kFarthest), far = 0;
  for (const float d : depth.data) {
    if (d > 0) near = std::min(near, d), far = std::max(far, d);
  }
  return {1 / (1.3 * static_cast<double>(far)), 1.3 / static_cast<double>(near)};
}

std::vector<MatchPicture> straightView(MadeShot& shot, int index) {
  auto frame = shot.read(shot.plan().first_frame + index, FrameUse::Tracking);
  return matchPyramid(matchPicture(straightCamera(shot, index), std::move(frame->luma)), 3);
}

}  // namespace dusky::testing
