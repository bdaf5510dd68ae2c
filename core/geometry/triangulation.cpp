#include "core/geometry/triangulation.h"

#include <Eigen/Dense>
#include <algorithm>
#include <cmath>

namespace dusky {
namespace {

/// Least squares of the distances to the rays.
std::optional<Vec3> nearestToRays(const std::vector<Sighting>& sightings) {
  Mat3 normal = Mat3::Zero();
  Vec3 right = Vec3::Zero();
  for (const Sighting& s : sightings) {
    const Vec3 ray = s.camera.direction(s.ray);
    const Mat3 across = Mat3::Identity() - ray * ray.transpose();
    normal += across;
    right += across * s.camera.centre;
  }
  const Eigen::SelfAdjointEigenSolver<Mat3> eigen(normal);
  if (!(eigen.eigenvalues()[0] > 1e-10 * eigen.eigenvalues()[2])) return std::nullopt;
  return Vec3(normal.ldlt().solve(right));
}

double squaredError(const Vec3& point, const std::vector<Sighting>& sightings) {
  double sum = 0;
  for (const Sighting& s : sightings) {
    const Vec3 p = s.camera.toCamera(point);
    if (p.dot(s.ray) <= 1e-9) return 1e300;
    sum += (p.normalized() - s.ray).squaredNorm();
  }
  return sum;
}

/// Far along the mean ray: where a point begins that has hardly any parallax. Nothing where the rays clearly differ: then they meet nearby, or
/// behind the cameras.
std::optional<Vec3> farAhead(const std::vector<Sighting>& sightings) {
  constexpr double kNearlyParallelRad = 0.02;
  Vec3 middle = Vec3::Zero(), ahead = Vec3::Zero();
  for (const Sighting& s : sightings) {
    middle += s.camera.centre / static_cast<double>(sightings.size());
    ahead += s.camera.direction(s.ray);
  }
  for (const Sighting& s : sightings) {
    if (s.camera.direction(s.ray).dot(ahead.normalized()) < std::cos(kNearlyParallelRad)) return std::nullopt;
  }
  double spread = 0;
  for (const Sighting& s : sightings) spread = std::max(spread, (s.camera.centre - middle).norm());
  return middle + 200 * spread * ahead.normalized();
}

Vec3 dampedStep(const Vec3& point, const std::vector<Sighting>& sightings, double damping) {
  Mat3 normal = Mat3::Zero();
  Vec3 gradient = Vec3::Zero();
  for (const Sighting& s : sightings) {
    const Mat3 camera_from_world = s.camera.world_from_camera.conjugate().toRotationMatrix();
    const Vec3 p = s.camera.toCamera(point);
    const double distance = p.norm();
    const Vec3 ray = p / distance;
    const Mat3 jacobian = (Mat3::Identity() - ray * ray.transpose()) / distance * camera_from_world;
    normal += jacobian.transpose() * jacobian;
    gradient += jacobian.transpose() * (s.ray - ray);
  }
  normal.diagonal() *= 1 + damping;
  return normal.ldlt().solve(gradient);
}
}  // namespace

double parallaxAt(const Vec3& point, const std::vector<Vec3>& centres) {
  double smallest_cosine = 1;
  // Many sightings of a smooth path: every pair of a thinned list is as good as every pair.
  const std::size_t step = std::max<std::size_t>(1, centres.size() / 16);
  std::vector<Vec3> rays;
  for (std::size_t i = 0; i < centres.size(); i += step) rays.push_back((centres[i] - point).normalized());
  if (!centres.empty()) rays.push_back((centres.back() - point).normalized());
  for (std::size_t i = 0; i < rays.size(); ++i) {
    for (std::size_t j = i + 1; j < rays.size(); ++j) smallest_cosine = std::min(smallest_cosine, rays[i].dot(rays[j]));
  }
  return std::acos(std::clamp(smallest_cosine, -1.0, 1.0));
}

std::optional<Triangulated> triangulate(const std::vector<Sighting>& sightings, const std::optional<Vec3>& known) {
  if (sightings.size() < 2) return std::nullopt;
  const std::optional<Vec3> nearest = nearestToRays(sightings);
  if (!nearest) return std::nullopt;
  Vec3 point = *nearest;
  double error = squaredError(point, sightings);
  for (const std::optional<Vec3>& start : {known, farAhead(sightings)}) {
    const double start_error = start ? squaredError(*start, sightings) : 1e300;
    if (start_error < error) point = *start, error = start_error;
  }
  if (error >= 1e300) return std::nullopt;
  double damping = 1e-6;
  for (int step = 0; step < 20 && damping < 1e3; ++step) {
    const Vec3 moved = point + dampedStep(point, sightings, damping);
    const double moved_error = squaredError(moved, sightings);
    if (!(moved_error < error)) {
      damping *= 30;
      continue;
    }
    const bool settled = error - moved_error < 1e-9 * error;
    point = moved;
    error = moved_error;
    damping = std::max(1e-9, damping / 10);
    if (settled) break;
  }
  Triangulated found{point, 0};
  std::vector<Vec3> centres;
  for (const Sighting& s : sightings) centres.push_back(s.camera.centre);
  found.parallax_rad = parallaxAt(point, centres);
  return found;
}
}  // namespace dusky
