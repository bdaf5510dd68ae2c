#include "core/solve/uncertainty.h"

#include <algorithm>
#include <cmath>

#include "core/geometry/essential.h"
#include "core/solve/reduced_system.h"

namespace dusky {
namespace {

/// Orthonormal directions in camera parameters that move, turn or scale the whole world: seven columns.
Eigen::MatrixXd gaugeDirections(const Bundle& bundle, Eigen::Index size) {
  Eigen::MatrixXd gauge = Eigen::MatrixXd::Zero(size, 7);
  for (std::size_t c = 0; c < bundle.cameras.size(); ++c) {
    const auto at = static_cast<Eigen::Index>(6 * c);
    const Pose& pose = bundle.cameras[c];
    gauge.block<3, 3>(at + 3, 0).setIdentity();
    gauge.block<3, 3>(at, 3) = pose.world_from_camera.conjugate().toRotationMatrix();
    gauge.block<3, 3>(at + 3, 3) = -crossMatrix(pose.centre);
    gauge.block<3, 1>(at + 3, 6) = pose.centre;
  }
  const Eigen::HouseholderQR<Eigen::MatrixXd> qr(gauge);
  return qr.householderQ() * Eigen::MatrixXd::Identity(size, 7);
}

double noiseVariance(const ReducedSystem& system, const Bundle& bundle, Eigen::Index unknowns) {
  double squares = 0;
  for (const Linearised& row : system.rows()) squares += row.residual.squaredNorm();
  const double freedom =
      2.0 * static_cast<double>(bundle.observations.size()) - 3.0 * static_cast<double>(bundle.points.size()) - static_cast<double>(unknowns) + 7;
  return freedom > 1 ? squares / freedom : kUnknown;
}

/// How many times fewer independent sightings there are than sightings: errors along a track go together (its patch is a little off in
/// all frames), so (1 + rho) / (1 - rho) for the correlation rho of one frame's residual with the next one's; never under 1.
double sightingsPerIndependentOne(const ReducedSystem& system, const Bundle& bundle) {
  double together = 0, alone = 0;
  for (std::size_t i = 1; i < bundle.observations.size(); ++i) {
    const BundleObservation &a = bundle.observations[i - 1], &b = bundle.observations[i];
    if (a.point != b.point || b.camera != a.camera + 1) continue;
    const Vec2 &ra = system.rows()[i - 1].residual, &rb = system.rows()[i].residual;
    together += ra.dot(rb);
    alone += 0.5 * (ra.squaredNorm() + rb.squaredNorm());
  }
  const double rho = alone > 0 ? std::clamp(together / alone, 0.0, 0.98) : 0.0;
  return (1 + rho) / (1 - rho);
}

}  // namespace

CameraUncertainty cameraUncertainty(const Bundle& bundle, const BundleOptions& options) {
  CameraUncertainty result;
  result.centre.assign(bundle.cameras.size(), kUnknown);
  result.rotation_rad.assign(bundle.cameras.size(), kUnknown);
  result.lens.fill(kUnknown);
  if (bundle.cameras.size() < 2) return result;
  ReducedSystem system(bundle, options);
  system.linearise();
  Eigen::MatrixXd matrix = system.assemble(1e-10);
  matrix.triangularView<Eigen::StrictlyUpper>() = matrix.transpose();
  const double variance = noiseVariance(system, bundle, matrix.rows()) * sightingsPerIndependentOne(system, bundle);
  // Unknowns of very different size (px, radians, units): scale to a unit diagonal first; the gauge goes along.
  const Eigen::VectorXd scale = matrix.diagonal().cwiseSqrt().cwiseInverse();
  if (!scale.allFinite()) return result;
  const Eigen::MatrixXd scaled = scale.asDiagonal() * matrix * scale.asDiagonal();
  const Eigen::MatrixXd gauge = gaugeDirections(bundle, matrix.rows());
  Eigen::HouseholderQR<Eigen::MatrixXd> qr(Eigen::MatrixXd(scale.cwiseInverse().asDiagonal() * gauge));
  const Eigen::MatrixXd scaled_gauge = qr.householderQ() * Eigen::MatrixXd::Identity(matrix.rows(), 7);
  const Eigen::LLT<Eigen::MatrixXd> factor(Eigen::MatrixXd(scaled + scaled_gauge * scaled_gauge.transpose()));
  if (factor.info() != Eigen::Success) return result;
  const Eigen::MatrixXd inverse = factor.solve(Eigen::MatrixXd::Identity(matrix.rows(), matrix.rows()));
  // Any generalised inverse, carried into the least-norm gauge by projecting the gauge directions out.
  Eigen::MatrixXd covariance = scale.asDiagonal() * inverse * scale.asDiagonal();
  covariance -= gauge * (gauge.transpose() * covariance);
  covariance -= (covariance * gauge) * gauge.transpose();
  for (std::size_t c = 0; c < bundle.cameras.size(); ++c) {
    const auto at = static_cast<Eigen::Index>(6 * c);
    result.rotation_rad[c] = std::sqrt(std::max(0.0, variance * covariance.diagonal().segment<3>(at).mean()));
    result.centre[c] = std::sqrt(std::max(0.0, variance * covariance.diagonal().segment<3>(at + 3).mean()));
  }
  for (int k = 0; k < system.freeLens(); ++k) {
    const double v = variance * covariance(matrix.rows() - system.freeLens() + k, matrix.rows() - system.freeLens() + k);
    result.lens[system.lensIndex()[k]] = std::sqrt(std::max(0.0, v));
  }
  return result;
}

}  // namespace dusky
