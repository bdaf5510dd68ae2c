#include "core/solve/path_shape.h"

#include <Eigen/Eigenvalues>

namespace dusky {

void shapePath(Reconstruction& work, CameraMotion motion, double spread_px) {
  work.planes.clear();
  if (motion != CameraMotion::Rail && motion != CameraMotion::Flat) return;
  Vec3 middle = Vec3::Zero();
  const int placed = work.placedCameras();
  if (placed < 4) return;
  for (const auto& camera : work.cameras) {
    if (camera) middle += camera->centre / placed;
  }
  Mat3 scatter = Mat3::Zero();
  for (const auto& camera : work.cameras) {
    if (camera) scatter += (camera->centre - middle) * (camera->centre - middle).transpose() / placed;
  }
  const Eigen::SelfAdjointEigenSolver<Mat3> eigen(scatter);
  const double extent = std::sqrt(std::max(0.0, eigen.eigenvalues()[2]));
  if (extent < 1e-9) return;
  constexpr double kShare = 1e-3;
  const double weight = std::pow(std::max(0.05, spread_px) / (kShare * extent), 2);
  for (int f = 0; f < static_cast<int>(work.cameras.size()); ++f) {
    for (int k = 0; k < (motion == CameraMotion::Rail ? 2 : 1); ++k) {
      const Vec3 normal = eigen.eigenvectors().col(k);
      work.planes.push_back({.camera = f, .normal = normal, .offset = normal.dot(middle), .weight = weight});
    }
  }
}

}  // namespace dusky
