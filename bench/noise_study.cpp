// Shots without pictures solved under many seeds of noise: errors against the Cramer-Rao bound, how often the truth lies within two claimed
// standard deviations, and hard sets: outliers, two walls, one plane.
// noise_study [seeds [points]]; 10 seeds when none are said; with points the hard sets are left out.
#include <fmt/format.h>

#include <Eigen/Dense>
#include <cmath>
#include <cstdlib>

#include "core/geometry/align.h"
#include "core/geometry/essential.h"
#include "core/solve/reconstruction.h"
#include "core/solve/solve_shot.h"
#include "core/adjust/uncertainty.h"
#include "tests/support/judge_by_truth.h"

namespace dusky::testing {
namespace {

constexpr double kNoise = 0.3;

SyntheticPlan freeMove(int seed, int points) {
  SyntheticPlan plan{.frames = 120, .points = points, .noise_px = kNoise, .life = 48, .seed = static_cast<std::uint64_t>(seed)};
  plan.lens.k1() = -0.08;
  plan.lens.cx_px += 3;
  return plan;
}

/// Deviations of an unbiased solve that uses every sighting that is no outlier and is free in what the solve left free. Source of the bound:
/// the inverse of the normal equations at the truth.
CameraUncertainty bound(const SyntheticShot& shot, const Solution& solved) {
  Reconstruction work = makeReconstruction(shot.tracks, {}, 0, 1);
  work.lenses = {shot.plan.lens};
  for (std::size_t f = 0; f < work.poses.size(); ++f) work.poses[f] = shot.poses[f];
  for (WorkTrack& track : work.tracks) {
    if (!shot.outlier[static_cast<std::size_t>(track.id - 1)]) track.point = shot.points[static_cast<std::size_t>(track.id - 1)];
  }
  BundleOptions options{.loss = Loss::Squared};
  for (int k = 0; k < kMostLensParameters; ++k) options.free_lens[k] = !std::isnan(solved.cameras.front().sigma[k]);
  const Bundle bundle = makeBundle(work).bundle;
  CameraUncertainty sigma = cameraUncertainty(bundle, options);
  const double scale = kNoise / std::sqrt(correlatedVariance(bundle, options));
  for (double& s : sigma.centre) s *= scale;
  for (double& s : sigma.rotation_rad) s *= scale;
  for (double& s : sigma.lens.front()) s *= scale;
  return sigma;
}

/// Errors of turn (in camera axes) and centre of every camera, the world moved, turned and scaled so that their squares sum to the least: the
/// gauge that deviations are in.
Eigen::Matrix<double, 6, Eigen::Dynamic> leastErrors(const SyntheticShot& shot, const Solution& s, const Similarity& world) {
  const int count = static_cast<int>(shot.poses.size());
  Eigen::MatrixXd gauge = Eigen::MatrixXd::Zero(6 * count, 7);
  Eigen::VectorXd errors(6 * count);
  for (int i = 0; i < count; ++i) {
    const Pose truth = world * shot.poses[static_cast<std::size_t>(i)], &found = s.frames[static_cast<std::size_t>(i)].pose;
    const Eigen::AngleAxisd turn(truth.world_from_camera.conjugate() * found.world_from_camera);
    errors.segment<3>(6 * i) = turn.angle() * turn.axis();
    errors.segment<3>(6 * i + 3) = found.centre - truth.centre;
    gauge.block<3, 3>(6 * i, 0) = truth.world_from_camera.conjugate().toRotationMatrix();
    gauge.block<3, 3>(6 * i + 3, 0) = -crossMatrix(truth.centre);
    gauge.block<3, 3>(6 * i + 3, 3).setIdentity();
    gauge.block<3, 1>(6 * i + 3, 6) = truth.centre;
  }
  errors -= gauge * gauge.colPivHouseholderQr().solve(errors);
  return Eigen::Map<Eigen::Matrix<double, 6, Eigen::Dynamic>>(errors.data(), 6, count);
}

struct Tally {
  double errors = 0, bounds = 0;
  int inside = 0, count = 0;
  void add(double error, double bound_sigma, double claimed) {
    errors += error * error, bounds += bound_sigma * bound_sigma;
    inside += error < 2 * claimed, ++count;
  }
  double ratio() const { return std::sqrt(errors / bounds); }
  double share() const { return 100.0 * inside / std::max(1, count); }
};

void study(int seeds, int count) {
  Tally centres, turns, focal, points;
  double worst_focal = 0, worst_lens = 0, worst_slip = 0, lens_squares = 0, slip_squares = 0;
  int frames = 0, judged = 0, sightings = 0;
  for (int seed = 1; seed <= seeds; ++seed) {
    const SyntheticShot shot = makeSyntheticShot(freeMove(seed, count));
    for (const Track& track : shot.tracks.tracks) sightings += track.life();
    const auto solved = solveShot(shot.tracks, {.seed = seed}, {});
    if (!solved.ok()) {
      fmt::print("seed {}: {}\n", seed, solved.error().message);
      continue;
    }
    const Solution& s = **solved;
    const CameraUncertainty sigma = bound(shot, s);
    std::vector<Vec3> from, to;
    for (std::size_t i = 0; i < shot.poses.size(); ++i) from.push_back(shot.poses[i].centre), to.push_back(s.frames[i].pose.centre);
    const auto world = alignPoints(from, to);
    if (!world.ok()) continue;
    const double root3 = std::sqrt(3.0);
    frames += s.placedFrames();
    const Eigen::Matrix<double, 6, Eigen::Dynamic> errors = leastErrors(shot, s, *world);
    for (std::size_t i = 0; i < shot.poses.size(); ++i) {
      const auto error = errors.col(static_cast<int>(i));
      centres.add(error.tail<3>().norm() / root3, sigma.centre[i] * world->scale, s.frames[i].sigma_centre);
      turns.add(error.head<3>().norm() / root3, sigma.rotation_rad[i], s.frames[i].sigma_rotation_rad);
    }
    for (const SolvedTrack& track : s.tracks) {
      if (track.state != TrackState::Kept || track.at_infinity || track.holdout) continue;
      const double error = (*world * shot.points[static_cast<std::size_t>(track.id - 1)] - track.point).norm() / root3;
      points.add(error, 1, track.sigma_point);
    }
    focal.add(std::abs(s.lens().focal_px - shot.plan.lens.focal_px), sigma.lens.front()[0], s.cameras.front().sigma[0]);
    const auto truth = judgeByTruth(shot, s);
    if (!truth.ok()) continue;
    worst_focal = std::max(worst_focal, 100 * truth->focal_error_share);
    worst_lens = std::max(worst_lens, truth->lens_rms_px), worst_slip = std::max(worst_slip, truth->slip_rms_px);
    lens_squares += truth->lens_rms_px * truth->lens_rms_px, slip_squares += truth->slip_rms_px * truth->slip_rms_px;
    ++judged;
  }
  fmt::print("free move, 120 frames, {} points, {} sightings, {} px of noise, {} seeds: {} of {} frames\n", count, sightings / std::max(1, seeds), kNoise,
             seeds, frames, 120 * seeds);
  const double n = std::max(1, judged);
  fmt::print("  focal worst {:.2f} %, lens RMS {:.3f} worst {:.3f} px, slip RMS {:.3f} worst {:.3f} px\n", worst_focal, std::sqrt(lens_squares / n), worst_lens,
             std::sqrt(slip_squares / n), worst_slip);
  fmt::print("  against the bound: centres {:.2f}, turns {:.2f}, focal {:.2f}\n", centres.ratio(), turns.ratio(), focal.ratio());
  fmt::print("  within two deviations: centres {:.1f} %, turns {:.1f} %, focal {:.0f} %, points {:.1f} %\n", centres.share(), turns.share(), focal.share(),
             points.share());
}

/// RMS slip and worst focal length over some seeds.
void hard(const char* name, SyntheticPlan plan, const SolveOptions& options = {}) {
  constexpr int kSeeds = 6;
  double squares = 0, focal = 0, lens = 0, seconds = 0;
  int wrong = 0, outliers = 0, frames = 0, solved_seeds = 0;
  std::vector<std::string> said;
  for (int seed = 1; seed <= kSeeds; ++seed) {
    plan.seed = static_cast<std::uint64_t>(seed);
    const SyntheticShot shot = makeSyntheticShot(plan);
    const Stopwatch watch;
    const auto solved = solveShot(shot.tracks, options, {});
    if (!solved.ok()) {
      said.push_back(solved.error().message);
      continue;
    }
    seconds += watch.seconds();
    const Solution& s = **solved;
    for (const SolvedTrack& track : s.tracks) {
      const bool outlier = shot.outlier[static_cast<std::size_t>(track.id - 1)];
      outliers += outlier, wrong += outlier && track.state == TrackState::Kept && !track.holdout;
    }
    frames += s.placedFrames();
    if (s.summary.warnings.size() > 0) said.push_back(s.summary.warnings.front());
    const auto truth = judgeByTruth(shot, s);
    if (!truth.ok()) continue;
    ++solved_seeds;
    squares += truth->slip_rms_px * truth->slip_rms_px;
    focal = std::max(focal, 100 * truth->focal_error_share), lens = std::max(lens, truth->lens_rms_px);
  }
  fmt::print("  {:30} {:4}/{:<4} slip {:.3f} px, worst focal {:.2f} %, lens {:.3f} px, outliers kept {}/{}, {:.1f} s\n", name, frames, kSeeds * plan.frames,
             std::sqrt(squares / std::max(1, solved_seeds)), focal, lens, wrong, outliers, seconds / std::max(1, solved_seeds));
  if (!said.empty()) fmt::print("      {} times it said: {}\n", said.size(), said.front());
}

SyntheticPlan littleParallax(bool walls) {
  SyntheticPlan plan{.frames = 80, .points = 400, .noise_px = kNoise, .life = 50};
  plan.lens.k1() = -0.05;
  plan.set = walls ? onTwoWalls : onTheFloor;
  plan.path = [walls](int i) {
    const double t = i;
    const Vec3 look(walls ? 0.01 * std::sin(0.2 * t) : -0.5, -0.15 + 0.004 * t, 0.01 * std::sin(0.15 * t));
    return Pose{(rotationFromVector(look) * Eigen::Quaterniond(0, 1, 0, 0)).normalized(),
                Vec3((walls ? 0.012 : 0.04) * t, 1.6 + 0.1 * std::sin(0.09 * t), 0.3 * std::sin(0.05 * t))};
  };
  return plan;
}

}  // namespace
}  // namespace dusky::testing

int main(int count, char** words) {
  using namespace dusky::testing;
  const int points = count > 2 ? std::atoi(words[2]) : 1500;
  study(count > 1 ? std::atoi(words[1]) : 10, points);
  if (count > 2) return 0;
  fmt::print("hard sets\n");
  dusky::testing::SyntheticPlan clean = freeMove(1, points), dirty = clean;
  hard("clean", clean);
  dirty.outlier_share = 0.2;
  hard("20 % of the tracks wander", dirty);
  dirty.outlier_share = 0.4;
  hard("40 % of the tracks wander", dirty);
  hard("two walls, little parallax", littleParallax(true));
  hard("one plane, nothing known", littleParallax(false));
  hard("one plane, focal length known", littleParallax(false), {.focal = dusky::FocalKnowledge::Locked, .focal_px = 1100});
  return 0;
}
