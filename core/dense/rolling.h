#pragma once
#include <optional>
#include <vector>

#include "core/dense/pinhole.h"
#include "core/image/resample.h"
#include "core/lens/plate.h"
#include "core/solve/solution.h"

namespace dusky {

/// How a frame's camera moves while a rolling shutter reads its rows, as the solve has it: evenly, as from the frame before to the one after.
class RollingFrame {
 public:
  /// Nothing rolls where the solve has no readout time, or the frame no other with a camera beside it.
  RollingFrame(const Solution& solution, const SolvedFrame& frame);

  bool rolls() const { return readout_ != 0; }
  /// Of a row of the footage, after the middle one, frame intervals.
  double timeOf(double row_px) const { return readout_ * (row_px / height_ - 0.5); }
  /// World, a frame interval.
  const Vec3& velocity() const { return velocity_; }
  /// The normalised place where a pixel of the footage would be seen had the camera not turned since the middle row; nothing where the lens folds over.
  std::optional<Vec2> still(const Lens& lens, const Vec2& pixel) const;
  /// Where in the footage the pixels of an undistorted picture come from that shows all as if the camera had not turned. `map`: the same without rolling.
  SourceMap withoutTurning(const SourceMap& map, const Plate& plate, const Lens& lens) const;
  /// Tells a camera when its pixels were read, by the rows that they come from: a plane through those times. `map` has its size.
  void timeRows(const SourceMap& map, Pinhole& camera) const;

 private:
  Mat3 turnOf(double row_px) const;

  double readout_ = 0, height_ = 1;
  Vec3 rotation_ = Vec3::Zero(), velocity_ = Vec3::Zero();  ///< A frame interval; of the rotation a vector in camera axes, rad.
};

}  // namespace dusky
