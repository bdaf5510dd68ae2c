#include "tests/support/true_depth.h"

#include <algorithm>

namespace dusky::testing {

constexpr double kFarthest = 60;

Pinhole straightCamera(const MadeShot& shot, int index) {
  const auto i = static_cast<std::size_t>(index);
  const Lens& lens = shot.truth().lenses[i];
  return {lens.width, lens.height, lens.focal_px, lens.focal_px * lens.pixel_aspect, lens.cx_px, lens.cy_px, shot.truth().poses[i]};
}

TrueDepth trueDepth(const MadeShot& shot, int index) {
  TrueDepth truth{straightCamera(shot, index), {}};
  const Pinhole& camera = truth.camera;
  truth.depth = FloatPlane(camera.width, camera.height);
  for (int y = 0; y < camera.height; ++y) {
    for (int x = 0; x < camera.width; ++x) {
      const auto met = shot.meet(camera.pose.centre, camera.pose.direction(camera.ray({x + 0.5, y + 0.5})), index);
      const double depth = met ? camera.pose.toCamera(*met).z() : 0;
      truth.depth.at(x, y) = depth < kFarthest ? static_cast<float>(depth) : 0;
    }
  }
  return truth;
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
