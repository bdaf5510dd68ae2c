#include "core/geometry/resection.h"

#include <Eigen/Dense>

#include "core/geometry/align.h"
#include "core/geometry/essential.h"
#include "core/geometry/robust.h"

namespace dusky {
namespace {

/// Real roots of c[0] + c[1] x + ... + c[4] x^4.
std::vector<double> realRoots(const std::array<double, 5>& c) {
  int degree = 4;
  while (degree > 0 && std::abs(c[degree]) < 1e-14) --degree;
  if (degree == 0) return {};
  Eigen::MatrixXd companion = Eigen::MatrixXd::Zero(degree, degree);
  for (int i = 1; i < degree; ++i) companion(i, i - 1) = 1;
  for (int i = 0; i < degree; ++i) companion(i, degree - 1) = -c[i] / c[degree];
  const Eigen::EigenSolver<Eigen::MatrixXd> eigen(companion, false);
  std::vector<double> roots;
  for (const auto& root : eigen.eigenvalues()) {
    if (std::abs(root.imag()) < 1e-6 * (1 + std::abs(root.real()))) roots.push_back(root.real());
  }
  return roots;
}

struct ResectionEstimator {
  static constexpr int kSample = 3;
  const std::vector<Vec3>& points;
  const std::vector<Vec3>& rays;
  double tolerance;

  std::vector<Pose> minimal(const std::vector<int>& s) const {
    return poseFromThree({points[s[0]], points[s[1]], points[s[2]]}, {rays[s[0]], rays[s[1]], rays[s[2]]});
  }
  double residual(const Pose& pose, int i) const {
    const Vec3 p = pose.toCamera(points[i]);
    return p.dot(rays[i]) > 1e-9 ? (p.normalized() - rays[i]).norm() : 1e9;
  }
  std::vector<Pose> refine(const Pose& pose, const std::vector<int>& inliers) const {
    if (inliers.size() < 4) return {};
    return {refinePose(pose, points, rays, inliers, tolerance)};
  }
};
}  // namespace

std::vector<Pose> poseFromThree(const std::array<Vec3, 3>& points, const std::array<Vec3, 3>& ray) {
  const double a2 = (points[1] - points[2]).squaredNorm(), b2 = (points[0] - points[2]).squaredNorm(), c2 = (points[0] - points[1]).squaredNorm();
  if (std::min({a2, b2, c2}) < 1e-18) return {};
  const double ca = ray[1].dot(ray[2]), cb = ray[0].dot(ray[2]), cc = ray[0].dot(ray[1]);
  const double p = (a2 - c2) / b2, q = (a2 + c2) / b2, r = (b2 - c2) / b2, s = (b2 - a2) / b2;
  const std::array<double, 5> quartic = {(1 + p) * (1 + p) - 4 * a2 / b2 * cc * cc, 4 * (-p * (1 + p) * cb + 2 * a2 / b2 * cc * cc * cb - (1 - q) * ca * cc),
                                         2 * (p * p - 1 + 2 * p * p * cb * cb + 2 * r * ca * ca - 4 * q * ca * cb * cc + 2 * s * cc * cc),
                                         4 * (p * (1 - p) * cb - (1 - q) * ca * cc + 2 * c2 / b2 * ca * ca * cb), (p - 1) * (p - 1) - 4 * c2 / b2 * ca * ca};
  std::vector<Pose> found;
  for (double v : realRoots(quartic)) {
    const double below = 2 * (cc - v * ca);
    if (v <= 0 || std::abs(below) < 1e-12) continue;
    const double u = ((-1 + p) * v * v - 2 * p * cb * v + 1 + p) / below;
    const double squared = b2 / (1 + v * v - 2 * v * cb);
    if (u <= 0 || !(squared > 0)) continue;
    const double s1 = std::sqrt(squared);
    const auto fit = alignPoints({s1 * ray[0], u * s1 * ray[1], v * s1 * ray[2]}, {points[0], points[1], points[2]}, false);
    if (fit.ok()) found.push_back({fit->rotation, fit->shift});
  }
  return found;
}

Pose refinePose(Pose pose, const std::vector<Vec3>& points, const std::vector<Vec3>& rays, const std::vector<int>& use, double tolerance) {
  for (int round = 0; round < 8; ++round) {
    Eigen::Matrix<double, 6, 6> normal = Eigen::Matrix<double, 6, 6>::Zero();
    Eigen::Matrix<double, 6, 1> gradient = Eigen::Matrix<double, 6, 1>::Zero();
    const Mat3 camera_from_world = pose.world_from_camera.conjugate().toRotationMatrix();
    for (int i : use) {
      const Vec3 p = pose.toCamera(points[i]);
      const double distance = p.norm();
      if (p.dot(rays[i]) < 1e-9) continue;
      const Vec3 ray = p / distance;
      // A turn w of the camera (in its own axes) moves the point by p x w; a shift d of the centre by -R^T d.
      Eigen::Matrix<double, 3, 6> slope;
      slope << crossMatrix(ray), (ray * ray.transpose() - Mat3::Identity()) / distance * camera_from_world;
      const Vec3 r = rays[i] - ray;
      const double weight = 1 / (1 + r.squaredNorm() / (tolerance * tolerance));
      normal += weight * slope.transpose() * slope;
      gradient += weight * slope.transpose() * r;
    }
    normal.diagonal() *= 1 + 1e-9;
    const Eigen::Matrix<double, 6, 1> step = normal.ldlt().solve(gradient);
    if (!step.allFinite()) break;
    pose.world_from_camera = (pose.world_from_camera * rotationFromVector(step.head<3>())).normalized();
    pose.centre += step.tail<3>();
    if (step.head<3>().norm() < 1e-12) break;
  }
  return pose;
}

std::optional<Resection> resect(const std::vector<Vec3>& points, const std::vector<Vec3>& rays, double tolerance, std::uint64_t seed) {
  const auto fit =
      robustFit<Pose>(ResectionEstimator{points, rays, tolerance}, static_cast<int>(points.size()), {.tolerance = tolerance, .max_samples = 300, .seed = seed});
  if (!fit.found() || fit.inliers.size() < 4) return std::nullopt;
  return Resection{fit.model, fit.inliers};
}
}  // namespace dusky
