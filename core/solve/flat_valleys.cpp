#include "core/solve/flat_valleys.h"

#include <cmath>

#include "core/base/numbers.h"
#include "core/geometry/principal_axes.h"
#include "core/solve/flat_set.h"
#include "core/solve/sort_out.h"

namespace dusky {
namespace {

SolveState toTheEnd(SolveState state, const SolveTask& task) {
  for (int round = 0; round < 2; ++round) {
    adjustToTheEnd(state, task);
    sortOutRoughly(state);
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

/// Where the ray from a place through a point meets the plane that lies so far away; nothing where that is behind it, or nearly beside.
std::optional<Vec3> onPlane(const Vec3& from, const Vec3& through, const Vec3& normal, double away) {
  constexpr double kBeside = 0.05;
  const Vec3 ray = (through - from).normalized();
  const double before = normal.dot(ray);
  return before > kBeside ? std::optional<Vec3>(from + away / before * ray) : std::nullopt;
}

}  // namespace

std::optional<SolveState> zoomForDolly(const SolveState& from, const SolveTask& task) {
  const auto plane = flatPlane(from.work);
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
  const auto plane = flatPlane(from.work);
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
  const auto plane = flatPlane(from.work);
  if (!plane) return std::nullopt;
  SolveState state = from;
  Reconstruction& work = state.work;
  state.path = CameraMotion::Auto, work.planes.clear();
  std::vector<Vec3> centres;
  Vec3 looks = Vec3::Zero();
  for (const auto& pose : work.poses) {
    if (pose) centres.push_back(pose->centre), looks += pose->world_from_camera * Vec3::UnitZ();
  }
  const PrincipalAxes path = principalAxes(centres);
  constexpr double kStraight = 0.3;
  if (!(path.extent[1] < kStraight * path.extent[2])) return std::nullopt;
  const auto ahead = [&](const Vec3& direction) { return direction.dot(looks) < 0 ? Vec3(-direction) : direction; };
  const Vec3 along = ahead(path.along()), normal = ahead(plane->normal);
  const double away = std::abs(plane->distance(path.middle));
  for (WorkTrack& track : work.tracks) {
    if (track.point && !track.at_infinity) track.point = onPlane(path.middle, *track.point, along, away);
  }
  for (auto& pose : work.poses) {
    if (!pose) continue;
    const double gone = along.dot(pose->centre - path.middle);
    pose->centre = path.middle + gone * normal;
    pose->world_from_camera = rotationFromVector(gone / away * normal.cross(along)) * pose->world_from_camera;
  }
  return toTheEnd(std::move(state), task);
}

}  // namespace dusky
