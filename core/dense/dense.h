#pragma once
#include <functional>
#include <memory>
#include <string_view>

#include "core/dense/dense_cloud.h"
#include "core/dense/dense_view.h"
#include "core/dense/depth_map.h"

namespace dusky {

/// Of the footage's size: a quarter, a half, all of it.
enum class DenseQuality : std::uint8_t { Draft, Good, Fine };
/// "draft", "good", "fine".
std::string_view describe(DenseQuality quality);

struct DenseOptions {
  DenseQuality quality = DenseQuality::Good;
  double spacing = 0;  ///< At most one point in a cell of this size, the solve's units, >= 0; 0: all.

  /// Errors: InvalidInput naming what is out of range.
  Status check() const;
  bool operator==(const DenseOptions&) const = default;
};

/// What dense points are made of.
struct DenseInput {
  const Solution& solution;
  std::function<Result<std::unique_ptr<FrameSource>>()> open_footage;
  MaskOf mask = {};  ///< Empty: nothing is masked.
};

/// One keyframe's part.
struct DenseFrame {
  int frame = 0;
  double parallax_rad = kUnknown;    ///< Between it and the view that tells its depth best.
  double agreeing_share = kUnknown;  ///< Of its pixels with a depth: those that other views agree on.
  double correlation = kUnknown;     ///< Of the pictures where they agree, the middle one: how well camera and set explain what is seen.
};

struct DenseResult {
  DenseCloud cloud;
  std::vector<DenseFrame> frames;
  double views_s = kUnknown, depth_s = kUnknown, fuse_s = kUnknown;  ///< Seconds of each stage.
};

/// Dense points of a solved shot: keyframes are chosen, undistorted, each gets a depth map from those that see the same from elsewhere, and all are fused. The
/// same on every run and with any number of threads.
/// Errors: InvalidInput: as chooseKeyframes(), or an option out of range, or nothing is left that views agree on; what reading the footage says; Cancelled.
Result<DenseResult> makeDense(const DenseInput& input, const DenseOptions& options, const Progress& progress);

/// At most one point in each cell of a size, the surest.
DenseCloud thinned(DenseCloud cloud, double spacing);

}  // namespace dusky
