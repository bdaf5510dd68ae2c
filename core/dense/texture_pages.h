#pragma once
#include <Eigen/Core>
#include <optional>
#include <vector>

#include "core/base/result.h"

namespace dusky {

/// Where pieces of a picture lie in another one.
struct TexturePage {
  int side_px = 0;                                             ///< Its width.
  int height_px = 0;                                           ///< As far down as there are pieces.
  double scale = 1;                                            ///< Of all pieces, <= 1.
  std::vector<Eigen::Vector2i> at;                             ///< Of each piece: its upper left corner, px.
  static constexpr int kRoom_px = 2;                           ///< Around each, for what looks between pixels.
  Eigen::Vector2i sizeOf(const Eigen::Vector2d& piece) const;  ///< That a piece takes up there, with its room, px.
};

/// Packs pieces of such sizes (px) into a square of at most a side, as large as they fit, at most as large as they are; the square is halved while they fit,
/// and ends where they do.
/// `fixed`: so many more of 4 x 4 px, which stay as they are, come behind them. (Skyline packing: stb_rect_pack.) Errors: InvalidInput: they do not fit.
Result<TexturePage> packed(const std::vector<Eigen::Vector2d>& pieces, std::size_t fixed, int side_px);

}  // namespace dusky
