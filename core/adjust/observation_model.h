#pragma once
#include <Eigen/Core>
#include <vector>

#include "core/adjust/bundle.h"

namespace dusky {

using Mat23 = Eigen::Matrix<double, 2, 3>;
/// Columns for everything that all frames share: free parameters of the observation's lens, packed to the left, zeros up to lensColumns(), then the arm and the
/// readout.
using SharedColumns = Eigen::Matrix<double, 2, kMostLensParameters + 4>;

/// One observation, linearised and weighted (square root of its own weight and of the loss weight already in).
struct Linearised {
  Mat23 by_rotation;             ///< In camera axes.
  Mat23 by_point;                ///< The centre's are the negative, and 0 for points that are far.
  Vec2 by_focal = Vec2::Zero();  ///< By the logarithm; of a zoom.
  Vec2 residual = Vec2::Zero();  ///< Reprojected minus seen.
};

/// The same by the point alone.
struct LinearisedPoint {
  Mat23 by_point = Mat23::Zero();
  Vec2 residual = Vec2::Zero();
  double loss = 0;
};

/// How a frame's camera moves while its rows are read (rolling shutter): angular velocity in camera axes, radians a frame interval, and
/// velocity of the centre, units a frame interval.
struct FrameMotion {
  Vec3 rotation = Vec3::Zero(), velocity = Vec3::Zero();
};
std::vector<FrameMotion> frameMotions(const Bundle& bundle);
/// The cameras before and after one, whose places tell its motion; itself at an end.
std::pair<int, int> motionNeighbours(const Bundle& bundle, int camera);
/// When a row is read, from the middle one's time on: a share of the readout.
inline double rowTime(double y_px, int height) { return y_px / height - 0.5; }
/// The camera a share of a frame interval later.
Pose movedWithin(const Pose& pose, const FrameMotion& motion, double later);

/// Predicts and linearises the observations of a bundle as it stands.
class ObservationModel {
 public:
  ObservationModel(const Bundle& bundle, const BundleOptions& options);
  /// Free parameters of a lens, as positions in Lens::parameters().
  const std::vector<int>& lensIndex(int lens) const { return lens_index_[static_cast<std::size_t>(lens)]; }
  int freeCount(int lens) const { return static_cast<int>(lensIndex(lens).size()); }
  /// Columns that every observation has for its lens: as many as the freest lens needs; the readout's column comes after them.
  int lensColumns() const { return lens_columns_; }
  /// Those that do not belong to a lens: three of the arm, one of the readout, as far as they are looked for.
  int commonColumns() const { return (bundle_.arm ? 3 : 0) + (options_.free_readout ? 1 : 0); }
  int sharedColumns() const { return lens_columns_ + commonColumns(); }
  /// Reads the bundle's state anew: after it moved.
  void refresh();
  Linearised linearise(const BundleObservation& observation, SharedColumns& shared) const;
  LinearisedPoint linearisePoint(const BundleObservation& observation) const;
  /// Squared error, and what is charged for a point behind the camera.
  double squaredError(const BundleObservation& observation) const;
  double loss(double squared) const;
  /// What an observation costs: the loss of its error, as often as it counts.
  double cost(const BundleObservation& observation) const { return observation.weight * loss(squaredError(observation)); }

 private:
  Pose poseFor(const BundleObservation& observation) const;
  Mat3 cameraFromWorld(const BundleObservation& observation) const;
  Vec3 inCamera(const BundleObservation& observation, const Mat3& camera_from_world) const;
  const Lens& lensOf(const BundleObservation& observation) const {
    return lenses_[static_cast<std::size_t>(bundle_.zooms() ? observation.camera : bundle_.lensOf(observation.camera))];
  }
  double weight(double squared) const;

  const Bundle& bundle_;
  const BundleOptions& options_;
  std::vector<std::vector<int>> lens_index_;  ///< By lens.
  int lens_columns_ = 0;
  std::vector<Lens> lenses_;             ///< By camera when it zooms, else by lens.
  std::vector<Mat3> camera_from_world_;  ///< By camera.
  std::vector<FrameMotion> motions_;
};

/// Cost of the bundle as it stands: losses and beliefs.
double bundleCost(const Bundle& bundle, const BundleOptions& options);
}  // namespace dusky
