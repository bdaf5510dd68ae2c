#include "tests/support/best_possible.h"

#include <cmath>

#include "core/adjust/uncertainty.h"
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

constexpr double kMost = 13.8;  // of a sighting's squared error, in noise: one in a thousand is larger

double unknownsOf(double a_frame, double frames, double a_point, double points) { return a_frame * frames + a_point * points; }

/// Akaike's criterion over the sightings of what stands still, under what was found; those that it has no place for count as outliers.
double fitOf(const SyntheticShot& shot, const Solution& found) {
  double fit = 0, points = 0;
  for (const Track& track : shot.tracks.tracks) {
    if (shot.outlier[static_cast<std::size_t>(track.id - 1)] || track.observations.size() < 2) continue;
    const SolvedTrack* solved = found.find(track.id);
    points += 1;
    for (std::size_t i = 0; i < track.observations.size(); ++i) {
      const double error_px = solved && i < solved->errors.size() ? solved->errors[i].error_px : kUnknown;
      const double in_noise = error_px / shot.plan.noise_px;
      fit += std::isnan(error_px) ? kMost : std::min(kMost, in_noise * in_noise);
    }
  }
  const auto a_frame = [&]() -> double {
    switch (found.motion) {
      case MotionKind::Nodal:
      case MotionKind::Arc: return 3;
      case MotionKind::Rail: return 4;
      case MotionKind::Flat: return 5;
      default: return 6;
    }
  };
  return fit + 2 * unknownsOf(a_frame() + (found.zooms() ? 1 : 0), shot.plan.frames, found.motion == MotionKind::Nodal ? 2 : 3, points);
}

}  // namespace

Result<BestPossible> bestPossible(const SyntheticShot& shot) {
  Bundle bundle = bundleAtTruth(shot);
  BundleOptions options{.fixed_centres = staysInPlace(shot), .free_readout = shot.plan.readout != 0, .loss = Loss::Squared, .max_steps = 400, .settled = 1e-10};
  options.free_lens[0] = !shot.plan.focal_px, options.free_lens[kFirstCoefficient] = true;
  if (options.fixed_centres) {
    bundle.at_infinity.assign(bundle.points.size(), 1);
    for (Vec3& p : bundle.points) p = (p - shot.poses.front().centre).normalized();
  }
  const double squares = adjust(bundle, options, {}).cost_after / (shot.plan.noise_px * shot.plan.noise_px);
  Solution solution;
  solution.cameras.resize(1);
  solution.cameras[0].lens = bundle.lenses[0];
  solution.readout = bundle.readout;
  for (int i = 0; i < shot.plan.frames; ++i) {
    SolvedFrame frame{.frame = shot.plan.first_frame + i, .placed = true, .pose = bundle.cameras[static_cast<std::size_t>(i)]};
    if (bundle.zooms()) frame.focal_px = bundle.focal_px[static_cast<std::size_t>(i)];
    solution.frames.push_back(frame);
  }
  const auto comparison = judgeByTruth(shot, solution);
  if (!comparison.ok()) return comparison.error();
  const double unknowns = unknownsOf((options.fixed_centres ? 3 : 6) + (bundle.zooms() ? 1 : 0), shot.plan.frames, options.fixed_centres ? 2 : 3,
                                     static_cast<double>(bundle.points.size()));
  return BestPossible{*comparison, cameraUncertainty(bundle, options).slip_px, squares + 2 * unknowns};
}

bool cannotTell(const SyntheticShot& shot, const BestPossible& best, const Solution& found) {
  constexpr double kChance = 12;  // of the criterion: one in some hundreds
  const double most_px = slipTolerance(shot.plan.noise_px);
  return best.comparison.slip_rms_px > most_px || !(best.slip_sigma_px <= most_px) || fitOf(shot, found) < best.fit + kChance;
}

}  // namespace dusky::testing
