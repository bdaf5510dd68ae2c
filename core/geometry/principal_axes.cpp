#include "core/geometry/principal_axes.h"

namespace dusky {

PrincipalAxes principalAxes(const std::vector<Vec3>& places) {
  PrincipalAxes axes;
  for (const Vec3& p : places) axes.middle += p / static_cast<double>(places.size());
  Mat3 scatter = Mat3::Zero();
  for (const Vec3& p : places) scatter += (p - axes.middle) * (p - axes.middle).transpose() / static_cast<double>(places.size());
  const Eigen::SelfAdjointEigenSolver<Mat3> eigen(scatter);
  axes.extent = eigen.eigenvalues().cwiseMax(0.0).cwiseSqrt();
  axes.directions = eigen.eigenvectors();
  return axes;
}

}  // namespace dusky
