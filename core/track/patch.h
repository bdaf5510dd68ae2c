#pragma once
#include <Eigen/Core>
#include <vector>

#include "core/image/plane.h"

namespace dusky {

struct PatchMatch {
  Eigen::Vector2f centre = Eigen::Vector2f::Zero();  ///< Px of the plane searched.
  float likeness = -1;                               ///< Zero-mean normalised correlation with the patch, -1 to 1.
  bool settled = false;                              ///< The last step was short enough.
};

/// A square piece of picture that is found again in another under a shift and any gain and bias of the light: the quick search from
/// frame to frame. (What holds a track to its birth is Reference.)
/// Sources: inverse composition: Baker and Matthews, IJCV 56(3), 2004; gain and bias projected out of the slopes:
/// Baker, Gross and Matthews, CMU-RI-TR-03-35, 2003.
class Patch {
 public:
  Patch() = default;
  /// Cuts a patch of (2 radius + 1)^2 px (radius 1 to 47), its centre at continuous `centre` of `plane`. Not usable() where it would
  /// leave the plane or holds too little texture to fix a shift.
  Patch(const FloatPlane& plane, const Eigen::Vector2f& centre, int radius);

  bool usable() const { return !values_.empty(); }
  int radius() const { return radius_; }
  /// Finds the patch near `start`; at most `steps` resamplings. likeness -1 when it leaves the plane.
  PatchMatch align(const FloatPlane& plane, const Eigen::Vector2f& start, int steps) const;

 private:
  void cut(const FloatPlane& plane, const Eigen::Vector2f& centre);

  int radius_ = 0;
  const std::vector<float>* weights_ = nullptr;  ///< Of each sample; sum 1. One table for all patches of a radius.
  std::vector<float> values_;                    ///< Zero mean, unit length under the weights.
  std::vector<float> slopes_;                    ///< In x, then in y, times the weights.
  Eigen::Vector2f bias_, gain_;                  ///< Part of the slopes that a bias and a gain explain.
  Eigen::Matrix2f inverse_;                      ///< Of the normal matrix of a shift.
};

}  // namespace dusky
