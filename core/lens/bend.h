#pragma once
#include "core/lens/lens.h"

namespace dusky {

/// What a lens does to a normalised place before focal length and centre: the formulas of Lens.
Vec2 bend(const Lens& lens, const Vec2& normalised);

/// Where a place is bent to, and the slopes of that by the place.
struct Bent {
  Vec2 value;
  Eigen::Matrix2d by_point;
};
Bent bentAt(const Lens& lens, const Vec2& normalised);

struct BendSlopes : Bent {
  Eigen::Matrix<double, 2, kMostLensParameters - kFirstCoefficient> by_coefficient;  ///< Zero beyond the model's own.
};
BendSlopes bendSlopes(const Lens& lens, const Vec2& normalised);

/// The normalised place that a pixel shows, by plain Newton steps from a place near it, of which most pixels need only a few; nothing where they do not arrive.
/// Whether the lens rises up to there is not asked.
std::optional<Vec2> straightTo(const Lens& lens, const Vec2& pixel, Vec2 n);

}  // namespace dusky
