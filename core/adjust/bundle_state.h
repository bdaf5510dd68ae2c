#pragma once
#include "core/adjust/reduced_system.h"

namespace dusky {

/// What moves of a bundle.
struct BundleState {
  std::vector<Pose> cameras;
  std::vector<Vec3> points;
  std::vector<Lens> lenses;
  std::vector<double> focal_px;
  double readout;
  std::optional<Vec3> arm;
  std::vector<SetShape> shapes;

  explicit BundleState(const Bundle& b)
      : cameras(b.cameras), points(b.points), lenses(b.lenses), focal_px(b.focal_px), readout(b.readout), arm(b.arm), shapes(b.set.shapes) {}
  void swapWith(Bundle& b);
  /// All but the points by a step in the system's unknowns: the cameras' and the shared ones. A zoom's focal length changes by no more than `most_zoom`, of its
  /// logarithm.
  void moveCameras(const ReducedSystem& system, const BundleOptions& options, const Eigen::VectorXd& step, const Eigen::VectorXd& shared, double most_zoom);
};

}  // namespace dusky
