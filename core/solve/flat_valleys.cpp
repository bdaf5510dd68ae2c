#include "core/solve/flat_valleys.h"

#include <cmath>

#include <Eigen/Eigenvalues>

#include "core/base/numbers.h"
#include "core/solve/flat_set.h"
#include "core/solve/sort_out.h"

namespace dusky {
namespace {

constexpr double kBeside = 0.05;  // of the distance: nearer to a plane than that, or behind it, nothing is seen of it

SolveState toTheEnd(SolveState state, const SolveTask& task) {
  const Progress silent = task.progress.silent();
  BundleOptions options = robustOptions(state, task.options);
  options.max_steps = 150, options.settled = 1e-7;
  for (int round = 0; round < 2; ++round) {
    adjustReconstruction(state.work, options, silent);
    placeTracks(state.work, false, farLimit(state));
    sortOut(state.work, kRoughLimits);
  }
  return state;
}

/// Of each placed frame how far the set is before it and along its axis.
struct Distances {
  std::vector<double> to_plane, along_axis;
  double usual = kUnknown;
};

std::optional<Distances> distances(const Reconstruction& work, const PlaneFit& plane) {
  Distances out;
  std::vector<double> all;
  for (const auto& pose : work.poses) {
    out.to_plane.push_back(kUnknown), out.along_axis.push_back(kUnknown);
    if (!pose) continue;
    const Vec3 axis = pose->world_from_camera * Vec3::UnitZ();
    const double off = plane.distance(pose->centre), towards = -plane.normal.dot(axis);
    if (!(std::abs(towards) > 0.2) || !(off / towards > 0)) return std::nullopt;  // it looks along it, or away
    out.to_plane.back() = std::abs(off), out.along_axis.back() = off / towards;
    all.push_back(std::abs(off));
  }
  if (all.empty()) return std::nullopt;
  out.usual = median(std::move(all));
  return out;
}

}  // namespace

std::optional<SolveState> zoomForDolly(const SolveState& from, const SolveTask& task) {
  const auto plane = planeOfSet(from.work);
  const auto away = plane ? distances(from.work, *plane) : std::nullopt;
  if (!away) return std::nullopt;
  SolveState state = from;
  Reconstruction& work = state.work;
  if (work.focal_px.empty()) freeZoom(state);
  state.path = CameraMotion::Auto, work.planes.clear();
  for (std::size_t f = 0; f < work.poses.size(); ++f) {
    if (!work.poses[f]) continue;
    const double by = away->usual / std::max(away->to_plane[f], 1e-3 * away->usual);
    work.focal_px[f] *= by;
    work.poses[f]->centre -= (by - 1) * away->along_axis[f] * (work.poses[f]->world_from_camera * Vec3::UnitZ());
  }
  tieZoom(state);
  return toTheEnd(std::move(state), task);
}

std::optional<SolveState> dollyForZoom(const SolveState& from, const SolveTask& task) {
  if (from.work.focal_px.empty()) return std::nullopt;
  const auto plane = planeOfSet(from.work);
  const auto away = plane ? distances(from.work, *plane) : std::nullopt;
  if (!away) return std::nullopt;
  SolveState state = from;
  Reconstruction& work = state.work;
  const double focal_px = median(work.focal_px);
  for (std::size_t f = 0; f < work.poses.size(); ++f) {
    if (!work.poses[f]) continue;
    work.poses[f]->centre -= (focal_px / work.focal_px[f] - 1) * away->along_axis[f] * (work.poses[f]->world_from_camera * Vec3::UnitZ());
  }
  holdZoom(state);
  return toTheEnd(std::move(state), task);
}

std::optional<SolveState> normalForPath(const SolveState& from, const SolveTask& task) {
  const auto plane = planeOfSet(from.work);
  if (!plane) return std::nullopt;
  SolveState state = from;
  Reconstruction& work = state.work;
  state.path = CameraMotion::Auto, work.planes.clear();
  const Vec3 middle = pathExtent(work).middle;
  Mat3 spread = Mat3::Zero();
  Vec3 looks = Vec3::Zero();
  for (const auto& pose : work.poses) {
    if (!pose) continue;
    spread += (pose->centre - middle) * (pose->centre - middle).transpose();
    looks += pose->world_from_camera * Vec3::UnitZ();
  }
  const Eigen::SelfAdjointEigenSolver<Mat3> axes(spread);
  constexpr double kStraight = 0.3;
  if (!(axes.eigenvalues()[1] < kStraight * kStraight * axes.eigenvalues()[2])) return std::nullopt;
  Vec3 along = axes.eigenvectors().col(2), normal = plane->normal;
  if (along.dot(looks) < 0) along = -along;
  if (normal.dot(looks) < 0) normal = -normal;
  const double away = std::abs(plane->distance(middle));
  const Vec3 turn = normal.cross(along) / away;
  for (WorkTrack& track : work.tracks) {
    if (!track.point || track.at_infinity) continue;
    const Vec3 ray = *track.point - middle;
    const double before = along.dot(ray.normalized());
    if (before > kBeside) {
      track.point = middle + away / before * ray.normalized();
    } else {
      track.point.reset();
    }
  }
  for (auto& pose : work.poses) {
    if (!pose) continue;
    const double gone = along.dot(pose->centre - middle);
    const Vec3 rotation = gone * turn;
    pose->centre = middle + gone * normal;
    if (const double angle = rotation.norm(); angle > 0)
      pose->world_from_camera = Eigen::Quaterniond(Eigen::AngleAxisd(angle, rotation / angle)) * pose->world_from_camera;
  }
  return toTheEnd(std::move(state), task);
}

}  // namespace dusky
