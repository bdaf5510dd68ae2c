#include "core/solve/path_shape.h"

#include "core/base/numbers.h"
#include "core/geometry/principal_axes.h"

namespace dusky {
namespace {

/// The scale is free: without this the world would shrink until nothing is off its line any more. The two cameras that are farthest apart along the path stay
/// there.
void keepItsLength(Reconstruction& work, const PrincipalAxes& axes, double weight) {
  const Vec3 along = axes.along();
  int first = -1, last = -1;
  const auto at = [&](int f) { return along.dot(work.poses[static_cast<std::size_t>(f)]->centre); };
  for (int f = 0; f < static_cast<int>(work.poses.size()); ++f) {
    if (!work.poses[static_cast<std::size_t>(f)]) continue;
    if (first < 0 || at(f) < at(first)) first = f;
    if (last < 0 || at(f) > at(last)) last = f;
  }
  for (const int f : {first, last}) work.planes.push_back({.camera = f, .normal = along, .offset = at(f), .weight = weight});
}

}  // namespace

void shapePath(Reconstruction& work, CameraMotion motion, double spread_px) {
  work.planes.clear();
  if (motion != CameraMotion::Rail && motion != CameraMotion::Flat) return;
  std::vector<Vec3> centres;
  for (const auto& camera : work.poses) {
    if (camera) centres.push_back(camera->centre);
  }
  if (centres.size() < 4) return;
  const PrincipalAxes axes = principalAxes(centres);
  const double extent = axes.extent[2];
  if (extent < 1e-9) return;
  constexpr double kShare = 1e-5;  // a belief that gives way would bend the focal length: what makes the path longer makes its wobble look smaller
  const double weight = std::pow(std::max(0.05, spread_px) / (kShare * extent), 2);
  for (int f = 0; f < static_cast<int>(work.poses.size()); ++f) {
    for (int k = 0; k < (motion == CameraMotion::Rail ? 2 : 1); ++k) {
      const Vec3 normal = axes.directions.col(k);
      work.planes.push_back({.camera = f, .normal = normal, .offset = normal.dot(axes.middle), .weight = weight});
    }
  }
  keepItsLength(work, axes, weight);
}

PathShape pathShape(const Solution& solution) {
  std::vector<Vec3> centres;
  std::vector<double> sigmas;
  for (const SolvedFrame& frame : solution.frames) {
    if (!frame.placed || !(frame.sigma_centre > 0)) continue;
    centres.push_back(frame.pose.centre);
    sigmas.push_back(frame.sigma_centre);
  }
  constexpr std::size_t kFewest = 8;
  if (centres.size() < kFewest) return {};
  const PrincipalAxes axes = principalAxes(centres);
  double line = 0, plane = 0;
  for (std::size_t i = 0; i < centres.size(); ++i) {
    const Vec3 off = axes.directions.transpose() * (centres[i] - axes.middle) / sigmas[i];
    plane += off[0] * off[0];
    line += off[0] * off[0] + off[1] * off[1];
  }
  const double count = static_cast<double>(centres.size()), usual = median(std::move(sigmas));
  return {std::sqrt(line / (2 * count - 4)), std::sqrt(plane / (count - 3)), axes.extent[2] / usual, axes.extent[1] / usual};
}

CameraMotion plainerMotion(const PathShape& shape) {
  // Errors of neighbouring frames go together, so their mean square wanders; a path must be long against them to say anything.
  constexpr double kFits = 1.25, kLong = 40;
  if (!(shape.length > kLong)) return CameraMotion::Free;
  if (shape.off_line < kFits) return CameraMotion::Rail;
  if (shape.off_plane < kFits && shape.width > kLong) return CameraMotion::Flat;
  return CameraMotion::Free;
}

}  // namespace dusky
