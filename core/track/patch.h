#pragma once
#include <Eigen/Core>
#include <vector>

#include "core/image/pyramid.h"

namespace dusky {

/// How a patch lies in a picture: place = matrix * (offset from the patch's centre) + centre, in px of its level.
struct PatchWarp {
  Eigen::Vector2f centre = Eigen::Vector2f::Zero();
  Eigen::Matrix2f matrix = Eigen::Matrix2f::Identity();
};

struct PatchMatch {
  PatchWarp warp;
  float likeness = -1;   ///< Zero-mean normalised correlation with the patch, -1 to 1.
  bool settled = false;  ///< The last step was short enough.
};

/// A square piece of picture that can be found again in others under a shift or an affine change, and under any gain
/// and bias of the light. The slopes are those of the patch itself, so each step costs one resampling.
/// Sources: inverse composition: Baker and Matthews, IJCV 56(3), 2004; gain and bias projected out of the slopes:
/// Baker, Gross and Matthews, CMU-RI-TR-03-35, 2003.
class Patch {
 public:
  enum class Motion { Shift, Affine };

  Patch() = default;
  /// Cuts a patch of (2 radius + 1)^2 px (radius 1 to 34), its centre at continuous `centre` of `plane`. Not usable() where it would
  /// leave the plane or holds too little texture to fix the motion.
  Patch(const FloatPlane& plane, const Eigen::Vector2f& centre, int radius, Motion motion);

  bool usable() const { return !values_.empty(); }
  int radius() const { return radius_; }
  /// Finds the patch near `start`; at most `steps` resamplings. likeness -1 when it leaves the plane.
  PatchMatch align(const FloatPlane& plane, const PatchWarp& start, int steps) const;
  /// Whether every sample of the warped patch lies inside the plane.
  bool fits(const FloatPlane& plane, const PatchWarp& warp) const;

 private:
  template <int N>
  void cut(const FloatPlane& plane, const Eigen::Vector2f& centre);
  template <int N>
  void prepare(Eigen::Matrix<float, Eigen::Dynamic, N>& slopes);
  void sample(const FloatPlane& plane, const PatchWarp& warp, std::vector<float>& out) const;
  bool apply(const float* step, PatchWarp& warp) const;

  Motion motion_ = Motion::Shift;
  int radius_ = 0;
  const std::vector<float>* weights_ = nullptr;  ///< Of each sample; sum 1. One table for all patches of a radius.
  std::vector<float> values_;                    ///< Zero mean, unit length under the weights.
  std::vector<float> update_;                    ///< parameters x samples: residual to step, gain and bias already out.
};

}  // namespace dusky
