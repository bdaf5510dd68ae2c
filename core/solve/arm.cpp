#include "core/solve/arm.h"

#include <Eigen/Eigenvalues>
#include <algorithm>

#include "core/base/numbers.h"

namespace dusky {
namespace {

/// What of the arm lies along the axis of a plain pan moves no camera against another: the pivot moves to where it is none.
void dropIdleArm(Reconstruction& work) {
  Mat3 mean = Mat3::Zero(), effect = Mat3::Zero();
  int placed = 0;
  for (const auto& pose : work.poses) {
    if (pose) mean += pose->world_from_camera.toRotationMatrix(), ++placed;
  }
  if (placed < 2) return;
  mean /= placed;
  for (const auto& pose : work.poses) {
    if (!pose) continue;
    const Mat3 apart = pose->world_from_camera.toRotationMatrix() - mean;
    effect += apart.transpose() * apart;
  }
  const Eigen::SelfAdjointEigenSolver<Mat3> axes(effect);
  constexpr double kIdle = 1e-3;
  if (!(axes.eigenvalues()[0] < kIdle * axes.eigenvalues()[2])) return;
  const Vec3 idle = axes.eigenvectors().col(0) * axes.eigenvectors().col(0).dot(*work.arm), moved = mean * idle;
  standOnArm(work, *work.arm - idle);
  for (WorkTrack& track : work.tracks) {
    if (track.point && !track.at_infinity) *track.point -= moved;
  }
}

void scaleWorld(Reconstruction& work, double by) {
  standOnArm(work, by * *work.arm);
  for (WorkTrack& track : work.tracks) {
    if (track.point && !track.at_infinity) *track.point *= by;
  }
}

}  // namespace

void standOnArm(Reconstruction& work, const Vec3& arm) {
  work.arm = arm;
  for (auto& pose : work.poses) {
    if (pose) pose->centre = pose->world_from_camera * arm;
  }
}

void beginOnArm(Reconstruction& work, const Vec3& arm) {
  standOnArm(work, arm);
  for (WorkTrack& track : work.tracks) track.point.reset(), track.at_infinity = false;
}

void keepArmInBounds(Reconstruction& work) {
  dropIdleArm(work);
  if (work.arm->norm() > 0) scaleWorld(work, 1 / work.arm->norm());
}

void beginBeforeInfinity(Reconstruction& work) {
  constexpr double kShare = 0.04;
  const double by = 1 - kShare * (work.arm ? work.arm->normalized().z() : 0);
  for (Lens& lens : work.lenses) lens.focal_px *= by;
  for (double& focal : work.focal_px) focal *= by;
}

void turnFinite(Reconstruction& work) {
  std::vector<double> distances;
  for (const WorkTrack& track : work.tracks) {
    if (track.takesPart() && !track.at_infinity) distances.push_back(track.point->norm());
  }
  if (distances.empty()) return;
  const double far = 2 * median(std::move(distances));
  for (WorkTrack& track : work.tracks) {
    if (track.point && track.at_infinity) *track.point *= far, track.at_infinity = false;
  }
}

void turnInsideOut(Reconstruction& work) {
  Vec3 middle = Vec3::Zero();
  if (work.arm) {
    standOnArm(work, -*work.arm);
  } else {
    middle = pathExtent(work).middle;
    for (auto& pose : work.poses) {
      if (pose) pose->centre = 2 * middle - pose->centre;
    }
  }
  const auto nearnessOf = [&](const WorkTrack& track) { return track.at_infinity ? 0 : 1 / std::max(1e-9, (*track.point - middle).norm()); };
  std::vector<double> nearness;
  for (const WorkTrack& track : work.tracks) {
    if (track.takesPart()) nearness.push_back(nearnessOf(track));
  }
  if (nearness.empty()) return;
  std::sort(nearness.begin(), nearness.end());
  const auto share = [&](double q) { return nearness[static_cast<std::size_t>(q * static_cast<double>(nearness.size() - 1))]; };
  const double span = share(0.05) + share(0.95);
  for (WorkTrack& track : work.tracks) {
    if (!track.point) continue;
    const Vec3 direction = track.at_infinity ? *track.point : Vec3(*track.point - middle);
    *track.point = middle + direction.normalized() / std::max(0.02 * span, span - nearnessOf(track));
    track.at_infinity = false;
  }
}

double pathOverDistance(const Reconstruction& work) {
  const auto [middle, reach] = pathExtent(work);
  std::vector<double> distances;
  for (const WorkTrack& track : work.tracks) {
    if (track.takesPart() && !track.at_infinity) distances.push_back((*track.point - middle).norm());
  }
  return distances.empty() ? 0 : reach / median(std::move(distances));
}

}  // namespace dusky
