#include "core/geometry/ellipsoid.h"

#include <Eigen/Eigenvalues>

namespace dusky {

Mat3 ellipsoidAxes(const Mat3& covariance) {
  if (!covariance.allFinite()) return Mat3::Constant(std::numeric_limits<double>::quiet_NaN());
  const Eigen::SelfAdjointEigenSolver<Mat3> solver(covariance);
  const Mat3 axes = solver.eigenvectors() * solver.eigenvalues().cwiseMax(0).cwiseSqrt().asDiagonal();
  return axes.rowwise().reverse();
}

}  // namespace dusky
