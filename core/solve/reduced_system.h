#pragma once
#include <Eigen/Core>
#include <vector>

#include "core/solve/bundle.h"

namespace dusky {

using Mat23 = Eigen::Matrix<double, 2, 3>;
using Mat26 = Eigen::Matrix<double, 2, 6>;
using Mat28 = Eigen::Matrix<double, 2, 8>;
using Mat63 = Eigen::Matrix<double, 6, 3>;

/// One observation, linearised and weighted (square root of the loss weight already in).
struct Linearised {
  Mat26 by_camera;  ///< Turn in camera axes (3), centre (3).
  Mat23 by_point;
  Mat28 by_lens;                 ///< Free parameters only, packed to the left.
  Vec2 residual = Vec2::Zero();  ///< Reprojected minus seen.
};

/// The normal equations of a bundle with the points taken out. Unknowns: six a camera, then the free lens parameters.
/// Source: Triggs et al. 2000, section 6 (Schur complement).
class ReducedSystem {
 public:
  ReducedSystem(const Bundle& bundle, const BundleOptions& options);

  /// Linearises at the bundle's present state.
  void linearise();
  /// Builds and solves with the given damping; false where the matrix is not positive. Steps in `camera_step()` and `point_step()`.
  bool solve(double damping);
  /// The reduced matrix itself with (nearly) no damping, lower triangle filled; for covariances.
  const Eigen::MatrixXd& assemble(double damping);

  const Eigen::VectorXd& cameraStep() const { return camera_step_; }
  const std::vector<Vec3>& pointSteps() const { return point_steps_; }
  /// Predicted decrease of half the squared error for the last step.
  double predictedGain(double damping) const;
  int freeLens() const { return static_cast<int>(lens_index_.size()); }
  const std::vector<int>& lensIndex() const { return lens_index_; }
  /// Linearised observations, in the bundle's order.
  const std::vector<Linearised>& rows() const { return rows_; }

 private:
  void invertPoints(double damping);
  void fillCameraColumns(int camera, double damping);
  void fillLens(double damping);
  void backSubstitute();

  const Bundle& bundle_;
  const BundleOptions& options_;
  std::vector<int> lens_index_;              ///< Positions of the free parameters.
  std::vector<std::vector<int>> of_camera_;  ///< Observation indices by camera.
  std::vector<int> point_begin_;             ///< First observation of each point, plus one past the end.
  std::vector<Linearised> rows_;
  std::vector<Mat63> cross_;  ///< by_camera^T by_point of each observation.
  std::vector<Mat3> point_inverse_;
  std::vector<Vec3> point_gradient_, point_diagonal_;
  std::vector<Eigen::Matrix<double, 8, 3>> lens_point_;
  Eigen::MatrixXd matrix_;
  Eigen::VectorXd right_, camera_step_, diagonal_;
  std::vector<Vec3> point_steps_;
};

/// Robust cost of the bundle as it stands: sum of s^2 log(1 + r^2 / s^2), plus the lens prior.
double bundleCost(const Bundle& bundle, const BundleOptions& options);

}  // namespace dusky
