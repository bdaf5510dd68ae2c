#include "core/solve/flat_set.h"

#include <cmath>

#include "core/base/numbers.h"
#include "core/geometry/principal_axes.h"

namespace dusky {
namespace {

struct SetPlane {
  PlaneFit plane;
  std::vector<Vec3> points;  ///< Four fifths of those that are placed: the nearest to it.
};

std::optional<SetPlane> planeOf(const Reconstruction& work) {
  constexpr std::size_t kFewest = 20;
  std::vector<Vec3> points;
  for (const WorkTrack& track : work.tracks) {
    if (track.point && !track.at_infinity && !track.holdout && !track.by_artist && track.reason == AsideReason::None) points.push_back(*track.point);
  }
  for (int round = 0; round < 2 && points.size() >= kFewest; ++round) {
    const auto plane = fitPlane(points);
    if (!plane) return std::nullopt;
    const auto nearer = [&](const Vec3& a, const Vec3& b) { return std::abs(plane->distance(a)) < std::abs(plane->distance(b)); };
    std::sort(points.begin(), points.end(), nearer);
    points.resize(points.size() * 9 / 10);
  }
  const auto plane = points.size() >= kFewest ? fitPlane(points) : std::nullopt;
  if (!plane) return std::nullopt;
  return SetPlane{*plane, std::move(points)};
}

double flatnessOf(const SetPlane& set, const Reconstruction& work) {
  constexpr double kUsualReach = 0.4;  // of the distance, as a usual lens shows it
  const auto& [plane, points] = set;
  const Vec3 middle = principalAxes(points).middle, camera = pathExtent(work).middle;
  std::vector<double> off, reach, away;
  for (const Vec3& p : points) off.push_back(std::abs(plane.distance(p))), reach.push_back((p - middle).norm()), away.push_back((p - camera).norm());
  return median(std::move(off)) / std::max(median(std::move(reach)), kUsualReach * median(std::move(away)));
}

}  // namespace

double flatness(const Reconstruction& work) {
  const auto set = planeOf(work);
  return set ? flatnessOf(*set, work) : kUnknown;
}

std::optional<PlaneFit> flatPlane(const Reconstruction& work) {
  const auto set = planeOf(work);
  return set && flatnessOf(*set, work) < kFlatSet ? std::optional(set->plane) : std::nullopt;
}

}  // namespace dusky
