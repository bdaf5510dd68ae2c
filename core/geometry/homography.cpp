#include "core/geometry/homography.h"

#include <Eigen/Dense>

#include "core/geometry/align.h"

namespace dusky {
Mat3 normaliserOf(const std::vector<Vec2>& points) {
  Vec2 mean = Vec2::Zero();
  for (const Vec2& p : points) mean += p / static_cast<double>(points.size());
  double distance = 0;
  for (const Vec2& p : points) distance += (p - mean).norm() / static_cast<double>(points.size());
  const double scale = distance > 0 ? std::sqrt(2.0) / distance : 1.0;
  Mat3 m;
  m << scale, 0, -scale * mean.x(), 0, scale, -scale * mean.y(), 0, 0, 1;
  return m;
}

Mat3 homographyFromPairs(const std::vector<Vec2>& a, const std::vector<Vec2>& b) {
  if (a.size() < 4 || a.size() != b.size()) return Mat3::Zero();
  const Mat3 na = normaliserOf(a), nb = normaliserOf(b);
  Eigen::Matrix<double, 9, 9> normal = Eigen::Matrix<double, 9, 9>::Zero();
  for (std::size_t i = 0; i < a.size(); ++i) {
    const Vec3 p = na * a[i].homogeneous(), q = nb * b[i].homogeneous();
    Eigen::Matrix<double, 2, 9> rows;
    rows << -q.z() * p.transpose(), Eigen::RowVector3d::Zero(), q.x() * p.transpose(), Eigen::RowVector3d::Zero(), -q.z() * p.transpose(),
        q.y() * p.transpose();
    normal += rows.transpose() * rows;
  }
  const Eigen::SelfAdjointEigenSolver<Eigen::Matrix<double, 9, 9>> eigen(normal);
  if (!(eigen.eigenvalues()[1] > 1e-14 * eigen.eigenvalues()[8])) return Mat3::Zero();
  const Eigen::Matrix<double, 9, 1> h = eigen.eigenvectors().col(0);
  Mat3 normalised;
  normalised << h.segment<3>(0).transpose(), h.segment<3>(3).transpose(), h.segment<3>(6).transpose();
  return nb.inverse() * normalised * na;
}

Mat3 rotationFromPairs(const std::vector<Vec2>& a, const std::vector<Vec2>& b) {
  Mat3 correlation = Mat3::Zero();
  for (std::size_t i = 0; i < a.size(); ++i) correlation += b[i].homogeneous().normalized() * a[i].homogeneous().normalized().transpose();
  return nearestRotation(correlation);
}
}  // namespace dusky
