#pragma once
#include "core/lens/lens.h"

namespace dusky {

/// What a lens does to a normalised place before focal length and centre: the formulas of Lens.
Vec2 bend(const Lens& lens, const Vec2& normalised);

struct BendSlopes {
  Vec2 value;
  Eigen::Matrix2d by_point;
  Eigen::Matrix<double, 2, kMostLensParameters - kFirstCoefficient> by_coefficient;  ///< Zero beyond the model's own.
};
BendSlopes bendSlopes(const Lens& lens, const Vec2& normalised);

}  // namespace dusky
