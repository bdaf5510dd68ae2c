#include "tests/support/best_possible.h"

#include "tests/support/judge_by_truth.h"

namespace dusky::testing {

Bundle bundleAtTruth(const SyntheticShot& shot) {
  Bundle bundle;
  bundle.cameras = shot.poses;
  bundle.lenses[0] = shot.plan.lens;
  bundle.readout = shot.plan.readout;
  if (shot.plan.focal_px) {
    for (int i = 0; i < shot.plan.frames; ++i) bundle.focal_px.push_back(shot.plan.focal_px(i));
    for (int i = 1; i < shot.plan.frames; ++i) bundle.ties.push_back({.a = i - 1, .b = i, .focal = 1e4 * shot.plan.noise_px * shot.plan.noise_px});
  }
  for (const Track& track : shot.tracks.tracks) {
    const auto id = static_cast<std::size_t>(track.id - 1);
    if (shot.outlier[id] || track.observations.size() < 2) continue;
    const int point = static_cast<int>(bundle.points.size());
    bundle.points.push_back(shot.points[id]);
    for (const Observation& o : track.observations) bundle.observations.push_back({o.frame - shot.plan.first_frame, point, o.position});
  }
  return bundle;
}

namespace {

/// A camera that never leaves its place sees directions only.
bool staysInPlace(const SyntheticShot& shot) {
  return std::all_of(shot.poses.begin(), shot.poses.end(), [&](const Pose& p) { return (p.centre - shot.poses.front().centre).norm() < 1e-9; });
}

}  // namespace

Result<Comparison> bestPossible(const SyntheticShot& shot) {
  Bundle bundle = bundleAtTruth(shot);
  BundleOptions options{.fixed_centres = staysInPlace(shot), .free_readout = shot.plan.readout != 0, .loss = Loss::Squared, .max_steps = 400, .settled = 1e-10};
  options.free_lens[0] = !shot.plan.focal_px, options.free_lens[kFirstCoefficient] = true;
  if (options.fixed_centres) {
    bundle.at_infinity.assign(bundle.points.size(), 1);
    for (Vec3& p : bundle.points) p = (p - shot.poses.front().centre).normalized();
  }
  adjust(bundle, options, {});
  Solution solution;
  solution.cameras.resize(1);
  solution.cameras[0].lens = bundle.lenses[0];
  solution.readout = bundle.readout;
  for (int i = 0; i < shot.plan.frames; ++i) {
    SolvedFrame frame{.frame = shot.plan.first_frame + i, .placed = true, .pose = bundle.cameras[static_cast<std::size_t>(i)]};
    if (bundle.zooms()) frame.focal_px = bundle.focal_px[static_cast<std::size_t>(i)];
    solution.frames.push_back(frame);
  }
  return judgeByTruth(shot, solution);
}

}  // namespace dusky::testing
