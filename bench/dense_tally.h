#pragma once
#include "core/dense/dense.h"
#include "tests/support/shot_maker.h"

namespace dusky::testing {

/// How true dense points of a rendered shot are, by what its keyframes truly show.
struct DenseTally {
  double accurate = 0;  ///< Share of points within 1 % of the true depth, in the keyframe that agrees best.
  double complete = 0;  ///< Share of the keyframes' pixels with a point within 1 % of their depth within 2 px.
  double median = 0;    ///< Of the points' relative errors of depth.
  double floating = 0;  ///< Share of points more than 3 % before the true surface.
};

/// `halvings`: pixels of so many times halved pictures are counted.
DenseTally tallyOf(const MadeShot& shot, const DenseResult& dense, int halvings);

}  // namespace dusky::testing
