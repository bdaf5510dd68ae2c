#include "core/review/beyond_infinity.h"

#include <Eigen/Dense>
#include <cmath>

#include "core/base/parallel.h"

namespace dusky {
namespace {

/// Where a far point shows in a frame: a direction from the middle of the path, and the inverse of its distance from there.
std::optional<Vec2> shownFar(const Views& views, const WorkObservation& o, const Vec3& middle, const Vec3& direction, double nearness) {
  const Pose pose = views.poseFor(o);
  const Vec3 p = pose.world_from_camera.conjugate() * (direction + nearness * (middle - pose.centre));
  if (p.z() < 1e-3) return std::nullopt;
  return views.lens(o.frame_index).distort(p.hnormalized());
}

/// The inverse distance that a track's errors ask for, in its standard deviations; nothing where they cannot tell.
std::optional<double> nearnessInSigmas(const Reconstruction& work, const Views& views, const WorkTrack& track, const Vec3& middle, double reach,
                                       double sigma_px) {
  const Vec3 direction = track.at_infinity ? track.point->normalized() : Vec3(*track.point - middle).normalized();
  const Vec3 across = direction.unitOrthogonal(), other = direction.cross(across);
  constexpr double kStep = 1e-5;
  Mat3 normal = Mat3::Zero();
  Vec3 gradient = Vec3::Zero();
  for (const WorkObservation& o : track.observations) {
    if (!o.used || !work.poses[o.frame_index]) continue;
    const auto here = shownFar(views, o, middle, direction, 0), left = shownFar(views, o, middle, direction + kStep * across, 0),
               up = shownFar(views, o, middle, direction + kStep * other, 0), nearer = shownFar(views, o, middle, direction, kStep / reach);
    if (!here || !left || !up || !nearer) return std::nullopt;
    Mat23 slope;
    slope << (*left - *here) / kStep, (*up - *here) / kStep, (*nearer - *here) * (reach / kStep);
    normal += slope.transpose() * slope;
    gradient -= slope.transpose() * (*here - o.seen);
  }
  const Eigen::LDLT<Mat3> factor(normal);
  if (factor.info() != Eigen::Success || factor.rcond() < 1e-12) return std::nullopt;
  const double variance = sigma_px * sigma_px * factor.solve(Vec3::UnitZ()).z();
  return variance > 0 ? std::optional(factor.solve(gradient).z() / std::sqrt(variance)) : std::nullopt;
}

}  // namespace

double shareBeyondInfinity(const Reconstruction& work, double sigma_px) {
  constexpr double kFar = 30, kSurely = 3;  // paths' reaches; standard deviations
  const auto [middle, reach] = pathExtent(work);
  if (!(reach > 0) || !(sigma_px > 0)) return 0;
  const Views views(work);
  std::vector<std::uint8_t> kept(work.tracks.size(), 0), beyond(work.tracks.size(), 0);
  parallelFor(
      static_cast<int>(work.tracks.size()),
      [&](int t) {
        const WorkTrack& track = work.tracks[t];
        if (!track.takesPart()) return;
        kept[t] = 1;
        if (!track.at_infinity && (*track.point - middle).norm() < kFar * reach) return;
        const auto sigmas = nearnessInSigmas(work, views, track, middle, reach, sigma_px);
        beyond[t] = sigmas && *sigmas < -kSurely;
      },
      32);
  const auto count = [](const std::vector<std::uint8_t>& of) { return static_cast<double>(std::count(of.begin(), of.end(), 1)); };
  return count(kept) > 0 ? count(beyond) / count(kept) : 0;
}

}  // namespace dusky
