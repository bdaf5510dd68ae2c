#pragma once
#include <Eigen/LU>
#include <vector>

#include "core/image/plane.h"

namespace dusky {

/// Where and how a reference lies in a picture: place = shape * (offset from the reference's middle) + centre, px of its level.
struct ReferenceMatch {
  Eigen::Vector2f centre = Eigen::Vector2f::Zero();
  Eigen::Matrix2f shape = Eigen::Matrix2f::Identity();
  float likeness = -1;  ///< Zero-mean normalised correlation, -1 to 1; -1 when it left the picture.
  float sigma_px = 0;   ///< Standard deviation of the centre along its worse direction, from what is left of the difference.
  float occluded = 0;   ///< Largest mean difference of a ninth of the window, in standard deviations of the reference: something else lies there.
  bool settled = false;
};

/// Whether a shape is so much larger, smaller or more slanted than the reference was cut that it no longer localises well.
inline bool wornOut(const Eigen::Matrix2f& shape) {
  const float area = std::abs(shape.determinant());
  return area <= 0.45f || area >= 2.4f;
}

/// A piece of picture as it was when a feature was found, found again under an affine change and any gain and bias of the light. Because
/// every frame is compared with the same piece, small errors don't add up.
///
/// The piece is warped to the shape it last had and compared with the picture on the picture's own grid, where all samples share their
/// interpolation weights; the small rest of the shape is read from the same slopes. It is warped anew only when that rest grows.
/// Sources: inverse composition: Baker and Matthews, IJCV 56(3), 2004; gain and bias projected out of the slopes: Baker, Gross and
/// Matthews, CMU-RI-TR-03-35, 2003; affine comparison with the first frame: Shi and Tomasi, CVPR 1994; the deviation: Foerstner, 1982.
class Reference {
 public:
  Reference() = default;
  /// Cuts the piece about continuous `centre`. Compared are (2 radius + 1)^2 px; half as much again is kept around them for turns and
  /// smaller scales. radius 3 to 30. Not usable() too near to the edge or with too little texture.
  Reference(const FloatPlane& plane, const Eigen::Vector2f& centre, int radius);

  bool usable() const { return !values_.empty(); }
  int radius() const { return radius_; }
  /// Finds it near `start`, whose shape is about `shape`; likeness -1 when it is not usable(). Not usable() any longer when the shape leaves nothing to hold on
  /// to.
  ReferenceMatch align(const FloatPlane& plane, const Eigen::Vector2f& start, const Eigen::Matrix2f& shape);

 private:
  struct Step;
  bool warpTo(const Eigen::Matrix2f& shape);
  void leaveOutUnknown(const Eigen::Vector2f& corner, const Eigen::Matrix2f& back);
  const float* weightsInUse() const;
  bool prepare(const float* block, int block_stride);
  bool invert(Eigen::Matrix<float, 6, 6> normal);
  Step stepFrom(const float* sampled) const;
  float sigmaOf(float likeness) const;
  float occludedShare(const float* sampled, const Step& step) const;

  int radius_ = 0, reach_ = 0;
  FloatPlane piece_;                    ///< (2 reach + 1)^2 px about the middle.
  Eigen::Matrix2f shape_;               ///< That values_ were warped to.
  std::vector<float> weights_;          ///< Sum 1; 0 where the warped piece has nothing. Empty: those of the whole window.
  std::vector<float> values_;           ///< Zero mean, unit length under the weights.
  std::vector<float> slopes_;           ///< In x, then in y, times the weights. What the shape does follows from them and the place in the window.
  Eigen::Matrix<float, 6, 1> bias_;     ///< Part of the slopes of shift and shape that a bias explains ...
  Eigen::Matrix<float, 6, 1> gain_;     ///< ... and a gain.
  Eigen::Matrix2f inverse_shift_;       ///< Of the normal matrix of a shift alone ...
  Eigen::Matrix<float, 6, 6> inverse_;  ///< ... and of shift and shape.
  float spread_ = 0;                    ///< Largest variance of a shift for residuals of unit variance.
};
}  // namespace dusky
