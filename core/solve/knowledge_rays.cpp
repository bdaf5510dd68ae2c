// A survey that says where a camera that only rotates stands.
#include <fmt/format.h>

#include "core/base/numbers.h"
#include "core/geometry/resection.h"
#include "core/solve/knowledge_builder.h"

namespace dusky {
namespace {

/// A place of the camera and the turn of its world, under a share of the focal length.
struct Standpoint {
  Pose world;  ///< The survey's world from the solve's; the centre is where the camera stands.
  double focal_times = 1, median_rad = kUnknown;
};

Vec3 viewAxis(const Reconstruction& work) {
  Vec3 along = Vec3::Zero();
  for (const auto& pose : work.poses) {
    if (pose) along += pose->direction(Vec3::UnitZ());
  }
  return along.normalized();
}

std::vector<double> angles(const Pose& pose, const std::vector<Vec3>& points, const std::vector<Vec3>& rays) {
  std::vector<double> off;
  for (std::size_t i = 0; i < points.size(); ++i) {
    const Vec3 seen = pose.toCamera(points[i]).normalized();
    off.push_back(std::atan2(seen.cross(rays[i]).norm(), seen.dot(rays[i])));
  }
  return off;
}

std::vector<Vec3> under(double focal_times, const Vec3& axis, const std::vector<Vec3>& rays) {
  std::vector<Vec3> all;
  for (const Vec3& ray : rays) all.push_back((ray + (focal_times - 1) * axis.dot(ray) * axis).normalized());
  return all;
}

constexpr std::size_t kOfKnownLens = 4, kOfAssumedLens = 6;  // points that it takes

/// Places and the rays from the one centre to them, under the focal length as it is.
struct SeenPlaces {
  std::vector<Vec3> places, rays;
  Vec3 axis = Vec3::UnitZ();
  double focal_px = 1;
  bool assumed = false;  ///< Nothing else tells the focal length.

  std::size_t least() const { return assumed ? kOfAssumedLens : kOfKnownLens; }
};

/// The pose that most points agree with; where the focal length is assumed, under the share of it that leaves the least median.
std::optional<Standpoint> standpointOf(const SeenPlaces& seen) {
  constexpr double kRough_px = 30, kStep = 1.06;
  const int steps = seen.assumed ? 24 : 0;
  std::optional<Standpoint> best;
  if (seen.places.size() < seen.least()) return best;
  for (int step = -steps; step <= steps; ++step) {
    const double times = std::pow(kStep, step);
    const std::vector<Vec3> rays = under(times, seen.axis, seen.rays);
    const auto found = resect(seen.places, rays, kRough_px / (times * seen.focal_px), 5);
    if (!found) continue;
    const double off_rad = times * median(angles(found->pose, seen.places, rays));  // as under the focal length as it is
    if (!best || off_rad < best->median_rad) best = Standpoint{found->pose, times, off_rad};
  }
  return best;
}

}  // namespace

/// Rays of known points from one centre tell where that stands, and how its world is turned.
void KnowledgeBuilder::makeWorldByRays() {
  constexpr double kAgrees_px = 4, kOfMedian = 4;
  SeenPlaces rays{.axis = viewAxis(work_), .focal_px = work_.lens().focal_px, .assumed = plain_.evidence.focal_assumed};
  SeenSurvey seen{.not_seen = "takes no part in the solve"};
  for (const SurveyPoint& point : knowledge_.survey) {
    const auto at = index_of_.find(point.track);
    const WorkTrack* track = at != index_of_.end() ? &work_.tracks[static_cast<std::size_t>(at->second)] : nullptr;
    if (point.on && track && track->takesPart())
      seen.points.push_back(&point), rays.places.push_back(point.at), rays.rays.push_back(track->point->normalized());
  }
  seen.no_world =
      fmt::format("a camera that only rotates is placed by {} points or more that agree; {} take part", rays.assumed ? "six" : "four", seen.points.size());
  if (const auto stands = standpointOf(rays)) {
    out_.focal_times = stands->focal_times;
    out_.beliefs.world = addShape(SetWorld{{1, stands->world.world_from_camera, stands->world.centre}, false, true, true});
    whole_world_ = true;
    const std::vector<double> off = angles(stands->world, rays.places, under(stands->focal_times, rays.axis, rays.rays));
    for (std::size_t i = 0; i < off.size(); ++i) {
      const double away = std::max((rays.places[i] - stands->world.centre).norm(), 1e-9);
      const double limit = std::max(kAgrees_px / rays.focal_px, kOfMedian * stands->median_rad) + kOfMedian * seen.points[i]->sigma.maxCoeff() / away;
      seen.off.push_back({away * off[i], off[i] > limit});
    }
  }
  addSurvey(seen);
}

}  // namespace dusky
