#pragma once
#include <vector>

#include "core/geometry/pose.h"
#include "core/geometry/robust.h"

namespace dusky {

// Two views in pixels, when the lens is not known. F has b^T F a = 0 (homogeneous pixels), rank 2, Frobenius norm 1.

/// All F through seven pairs; up to three. Source: Hartley and Zisserman, Multiple View Geometry, 2nd ed., section 11.1.2.
std::vector<Mat3> fundamentalFromSeven(const std::vector<Vec2>& a, const std::vector<Vec2>& b);

/// F of least algebraic error over eight or more pairs, inputs normalised; zero where they do not fix one.
/// Source: Hartley, IEEE TPAMI 19(6), 1997.
Mat3 fundamentalFromPairs(const std::vector<Vec2>& a, const std::vector<Vec2>& b);

/// What a robust fit of F found and how hard it looked.
struct EpipolarFit {
  Mat3 fundamental = Mat3::Zero();
  std::vector<int> inliers;
  std::vector<double> residuals_px;  ///< Sampson error of every pair.
  int samples = 0;                   ///< Drawn.
  int needed = 0;                    ///< Enough for `confidence` that one sample held no outlier, at the share of inliers found.
  double confidence = 0;
  bool found() const { return !inliers.empty(); }
};

/// Robust F over pairs of pixels. Nothing found with fewer than 8 pairs or without agreement.
/// Sources: see robust.h; error: Sampson, CGIP 18(1), 1982.
EpipolarFit fitEpipolar(const std::vector<Vec2>& a, const std::vector<Vec2>& b, const RobustOptions& options);

/// The epipolar line of `a` in the other picture, as (nx, ny, d) with nx^2 + ny^2 = 1: n . p + d is the distance of p in px.
Vec3 epipolarLine(const Mat3& fundamental, const Vec2& a);

/// Robust homography over pairs of pixels, residuals in px of the second picture; same shape of answer.
struct HomographyFit {
  Mat3 homography = Mat3::Zero();
  std::vector<int> inliers;
};
HomographyFit fitHomography(const std::vector<Vec2>& a, const std::vector<Vec2>& b, const RobustOptions& options);

/// First-order geometric (Sampson) error of a pair against F, px. Source: Sampson, CGIP 18(1), 1982.
double sampsonError(const Mat3& fundamental, const Vec2& a, const Vec2& b);
}  // namespace dusky
