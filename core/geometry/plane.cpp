#include "core/geometry/plane.h"

#include <Eigen/Dense>

#include "core/geometry/robust.h"

namespace dusky {
namespace {

struct PlaneEstimator {
  static constexpr int kSample = 3;
  const std::vector<Vec3>& points;
  Vec3 up;
  double smallest_cosine;

  std::vector<PlaneFit> fit(const std::vector<int>& of) const {
    std::vector<Vec3> picked;
    for (int i : of) picked.push_back(points[i]);
    auto plane = fitPlane(picked);
    if (!plane) return {};
    if (plane->normal.dot(up) < 0) *plane = {-plane->normal, -plane->offset};
    if (plane->normal.dot(up) < smallest_cosine) return {};
    return {*plane};
  }
  std::vector<PlaneFit> minimal(const std::vector<int>& sample) const { return fit(sample); }
  std::vector<PlaneFit> refine(const PlaneFit&, const std::vector<int>& inliers) const { return fit(inliers); }
  double residual(const PlaneFit& plane, int i) const { return plane.distance(points[i]); }
};

}  // namespace

std::optional<PlaneFit> fitPlane(const std::vector<Vec3>& points) {
  if (points.size() < 3) return std::nullopt;
  Vec3 mean = Vec3::Zero();
  for (const Vec3& p : points) mean += p / static_cast<double>(points.size());
  Mat3 spread = Mat3::Zero();
  for (const Vec3& p : points) spread += (p - mean) * (p - mean).transpose();
  const Eigen::SelfAdjointEigenSolver<Mat3> eigen(spread);
  if (!(eigen.eigenvalues()[1] > 1e-10 * eigen.eigenvalues()[2])) return std::nullopt;
  const Vec3 normal = eigen.eigenvectors().col(0);
  return PlaneFit{normal, normal.dot(mean)};
}

std::optional<PlaneFit> findPlane(const std::vector<Vec3>& points, const Vec3& up, double max_tilt_rad, double tolerance, std::uint64_t seed) {
  const PlaneEstimator estimator{points, up, std::cos(max_tilt_rad)};
  const auto fit =
      robustFit<PlaneFit>(estimator, static_cast<int>(points.size()), {.tolerance = tolerance, .min_samples = 300, .max_samples = 1500, .seed = seed});
  if (!fit.found() || fit.inliers.size() < 6) return std::nullopt;
  return fit.model;
}

}  // namespace dusky
