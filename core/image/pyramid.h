#pragma once
#include <functional>
#include <vector>

#include "core/image/plane.h"

namespace dusky {

/// A picture at full size and its halvings; level l has coordinates of level 0 divided by 2^l, exactly.
struct Pyramid {
  std::vector<FloatPlane> levels;
  const FloatPlane& base() const { return levels.front(); }
};

/// Halves with the even kernel 1 3 3 1, whose centre lies between two pixels, so that continuous coordinates
/// halve without an offset. Levels stop before a side falls under 24 px.
/// Source: Burt and Adelson, IEEE Trans. Comm. 31(4), 1983 (with an even kernel).
Pyramid buildPyramid(FloatPlane picture, int levels);

/// Called for rows first .. end - 1 of a pyramid's base.
using RowWork = std::function<void(FloatPlane& base, int first, int end)>;

/// The same of a base that `make` writes rows of, strip by strip while they are in the cache; `also` sees each strip then.
Pyramid buildPyramid(int width, int height, int levels, const RowWork& make, const RowWork& also = {});

/// The picture under the kernel 1 2 1 / 4, across and down. It takes away the finest detail, which sampling between pixels gets wrong
/// and compression gets wrongest, so that places are found more exactly.
FloatPlane soften(const FloatPlane& picture);
/// Some rows of it, into a plane of the same size.
void softenRows(const FloatPlane& picture, FloatPlane& out, int first, int end);
/// The same of scale * (value - black).
void softenRows(const Plane<std::uint8_t>& values, float black, float scale, FloatPlane& out, int first, int end);

/// Mean over a grid of rows of the squared gradient, (grey levels / px)^2: how much sharp detail a picture holds.
double meanSquareGradient(const FloatPlane& plane);
/// The same as rows of the plane come.
class GradientMeter {
 public:
  /// The plane is there down to row `end` - 1.
  void reach(const FloatPlane& plane, int end);
  double meanSquare() const { return count_ > 0 ? sum_ / static_cast<double>(count_) : 0; }

 private:
  int next_ = 1;
  double sum_ = 0;
  long count_ = 0;
};

/// Bilinear value at continuous (u, v), clamped to the border.
float sampleLinear(const FloatPlane& plane, float u, float v);

}  // namespace dusky
