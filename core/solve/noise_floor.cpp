#include "core/solve/noise_floor.h"

#include <Eigen/Dense>
#include <cmath>
#include <vector>

#include "core/base/numbers.h"
#include "core/base/parallel.h"
#include "core/geometry/fundamental.h"
#include "core/geometry/homography.h"

namespace dusky {
namespace {

constexpr int kFewestTracks = 24;

struct Common {
  std::vector<Vec2> a, b;
};

/// `reach`: only tracks that are no farther from the picture's middle, as a share of its width.
Common commonIn(const TrackSet& tracks, int frame_a, int frame_b, double reach) {
  Common common;
  const Vec2 middle(0.5 * tracks.width, 0.5 * tracks.height);
  for (const Track& track : tracks.tracks) {
    const Observation *a = track.at(frame_a), *b = track.at(frame_b);
    if (a && (a->position - middle).norm() > reach * tracks.width) continue;
    if (a && b) common.a.push_back(a->position), common.b.push_back(b->position);
  }
  return common;
}

/// F refitted to some pairs' geometric error: the algebraic one, each over its gradient under the F before; in coordinates that are normalised by `to_a`,
/// `to_b`.
Mat3 refitted(const Mat3& before, const Common& pairs, const std::vector<int>& use, const Mat3& to_a, const Mat3& to_b) {
  Eigen::Matrix<double, 9, 9> normal = Eigen::Matrix<double, 9, 9>::Zero();
  for (const int i : use) {
    const Vec3 a = pairs.a[static_cast<std::size_t>(i)].homogeneous(), b = pairs.b[static_cast<std::size_t>(i)].homogeneous();
    const double slope_squared = (before * a).head<2>().squaredNorm() + (before.transpose() * b).head<2>().squaredNorm();
    if (!(slope_squared > 0)) continue;
    const Vec3 p = to_a * a, q = to_b * b;
    Eigen::Matrix<double, 9, 1> row;
    for (int r = 0; r < 3; ++r) row.segment<3>(3 * r) = q[r] * p;
    normal += row * row.transpose() / slope_squared;
  }
  const Eigen::SelfAdjointEigenSolver<Eigen::Matrix<double, 9, 9>> solver(normal);
  const Eigen::Matrix<double, 9, 1> v = solver.eigenvectors().col(0);
  Mat3 matrix;
  matrix << v[0], v[1], v[2], v[3], v[4], v[5], v[6], v[7], v[8];
  return to_b.transpose() * matrix * to_a;
}

double spreadOf(const Common& pairs) {
  constexpr int kUnknowns = 8;
  constexpr double kWithin = 3;  // standard deviations
  if (static_cast<int>(pairs.a.size()) < kFewestTracks) return kUnknown;
  const EpipolarFit fit = fitEpipolar(pairs.a, pairs.b, {.tolerance = 2, .max_samples = 120});
  if (!fit.found() || static_cast<int>(fit.inliers.size()) < kFewestTracks) return kUnknown;
  const Mat3 to_a = normaliserOf(pairs.a), to_b = normaliserOf(pairs.b);
  Mat3 fundamental = fit.fundamental;
  std::vector<int> use = fit.inliers;
  double sigma = kUnknown;
  for (int round = 0; round < 6; ++round) {
    fundamental = refitted(fundamental, pairs, use, to_a, to_b);
    std::vector<double> errors;
    for (std::size_t i = 0; i < pairs.a.size(); ++i) errors.push_back(std::abs(sampsonError(fundamental, pairs.a[i], pairs.b[i])));
    std::vector<double> good;
    for (const int i : use) good.push_back(errors[static_cast<std::size_t>(i)]);
    const double count = static_cast<double>(use.size());
    sigma = 1.4826 * median(std::move(good)) * std::sqrt(count / std::max(1.0, count - kUnknowns));
    use.clear();
    for (std::size_t i = 0; i < errors.size(); ++i) {
      if (errors[i] < kWithin * sigma) use.push_back(static_cast<int>(i));
    }
    if (static_cast<int>(use.size()) < kFewestTracks) return kUnknown;
  }
  return sigma;
}

std::vector<double> noiseOfPairs(const TrackSet& tracks, double reach, int frames_apart, int most) {
  const int frames = tracks.frames();
  const int apart = std::min(frames_apart, frames - 1), pairs = std::min(most, frames - apart);
  std::vector<double> found(static_cast<std::size_t>(pairs), kUnknown);
  parallelFor(pairs, [&](int i) {
    const int first = pairs > 1 ? i * (frames - 1 - apart) / (pairs - 1) : 0;
    found[static_cast<std::size_t>(i)] = spreadOf(commonIn(tracks, tracks.frameAt(first), tracks.frameAt(first + apart), reach));
  });
  return found;
}

double floorWithin(const TrackSet& tracks, double reach, int frames_apart) {
  constexpr int kPairs = 20;
  std::vector<double> found = noiseOfPairs(tracks, reach, frames_apart, kPairs);
  std::erase_if(found, [](double sigma) { return std::isnan(sigma); });
  return found.empty() ? kUnknown : median(std::move(found));
}

// Far enough to be two views, near enough that lens and shutter hardly matter.
constexpr int kApart = 3;

}  // namespace

std::vector<double> pairNoise(const TrackSet& tracks) {
  constexpr int kPairs = 60;
  return tracks.frames() < 2 ? std::vector<double>{} : noiseOfPairs(tracks, 1, kApart, kPairs);
}

double noiseFloor(const TrackSet& tracks) {
  constexpr double kMiddle = 0.3, kClearlyLess = 0.75;
  if (tracks.frames() < 2) return kUnknown;
  const double all = floorWithin(tracks, 1, kApart), middle = floorWithin(tracks, kMiddle, kApart);
  // A strong distortion bends the lines of two views; in the middle of the picture it hardly does.
  return middle < kClearlyLess * all ? middle : all;
}

double noiseOverTime(const TrackSet& tracks) {
  double most = kUnknown;
  for (const int apart : {3, 10, 25}) {
    if (apart < tracks.frames()) most = std::fmax(most, floorWithin(tracks, 1, apart));
  }
  return most;
}

}  // namespace dusky
