#pragma once
#include <cstdint>

#include "core/lens/lens.h"

namespace dusky {

/// Rows of 32-bit pixels, alpha in the highest byte.
template <class Word>
struct PixelRows {
  Word* first = nullptr;
  int width = 0, height = 0;
  std::ptrdiff_t stride = 0;  ///< Words from a row to the next.

  Word* row(int y) const { return first + stride * y; }
};

/// The picture without its lens's distortion, with the same focal length and axis. `source` may show the lens's picture reduced; a px of
/// `out` at (u, v) shows the undistorted place ((u, v) - offset) / scale. Bilinear; opaque where the source shows it, else 0. Errors: none.
void straighten(const Lens& lens, const PixelRows<const std::uint32_t>& source, const Vec2& offset, double scale, const PixelRows<std::uint32_t>& out);

}  // namespace dusky
