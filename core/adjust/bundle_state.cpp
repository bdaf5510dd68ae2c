#include "core/adjust/bundle_state.h"

#include "core/base/parallel.h"

namespace dusky {

void BundleState::swapWith(Bundle& b) {
  cameras.swap(b.cameras), points.swap(b.points), lenses.swap(b.lenses), focal_px.swap(b.focal_px);
  std::swap(readout, b.readout), std::swap(arm, b.arm), shapes.swap(b.set.shapes);
}

void BundleState::moveCameras(const ReducedSystem& system, const BundleOptions& options, const Eigen::VectorXd& step, const Eigen::VectorXd& shared,
                              double most_zoom) {
  if (arm) *arm += shared.segment<3>(system.commonAt());
  parallelFor(
      static_cast<int>(cameras.size()),
      [&](int c) {
        const int at = system.rowOf(c);
        Pose& pose = cameras[static_cast<std::size_t>(c)];
        pose.world_from_camera = (pose.world_from_camera * rotationFromVector(step.segment<3>(at))).normalized();
        if (!options.fixed_centres) pose.centre += step.segment<3>(at + 3);
        if (arm) pose.centre = pose.world_from_camera * *arm;
        if (system.block() == 7 && options.free_focal) focal_px[static_cast<std::size_t>(c)] *= std::exp(std::clamp(step[at + 6], -most_zoom, most_zoom));
      },
      64);
  for (std::size_t l = 0; l < lenses.size(); ++l) {
    LensParameters values = lenses[l].parameters();
    const auto& index = system.lensIndex(static_cast<int>(l));
    for (std::size_t k = 0; k < index.size(); ++k) values[index[k]] += shared[system.sharedAt(static_cast<int>(l)) + static_cast<int>(k)];
    lenses[l].setParameters(values);
  }
  for (std::size_t k = 0; k < shapes.size(); ++k) shapes[k] = movedBy(shapes[k], shared.segment(system.shapeAt(static_cast<int>(k)), unknownsOf(shapes[k])));
  if (options.free_readout) readout = std::clamp(readout + shared[system.readoutAt()], -1.0, 1.0);
}

}  // namespace dusky
