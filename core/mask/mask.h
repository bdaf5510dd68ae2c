#pragma once
#include <Eigen/Core>
#include <string>
#include <vector>

#include "core/image/frame_source.h"

namespace dusky {

enum class MaskShape { Ellipse, Box, Curve };

/// Where a mask lies in one frame; full-size px.
struct MaskKey {
  int frame = 0;
  Eigen::Vector2d position = Eigen::Vector2d::Zero();
  double scale = 1.0;                   ///< Of the points, > 0.
  double rotation_rad = 0;              ///< Clockwise on the screen.
  std::vector<Eigen::Vector2d> points;  ///< About the position. Ellipse and box: one, the half sizes. Curve: its corners in order, at least 3.
  bool operator==(const MaskKey&) const = default;
};

/// A shape that follows something through the shot.
struct Mask {
  int id = 0;
  std::string name;
  MaskShape shape = MaskShape::Ellipse;
  bool only_inside = false;        ///< Only what lies inside is tracked; otherwise what lies inside is left out.
  bool inverted = false;           ///< Inside and outside exchanged.
  double grow_px = 0;              ///< Larger, or smaller when under 0; -500 to 500.
  std::vector<FrameRange> ranges;  ///< Where it holds, ascending, apart; none: always.
  std::vector<MaskKey> keys;       ///< By frame, ascending; at least one.
  bool operator==(const Mask&) const = default;

  bool holdsIn(int frame) const;
};

/// The mask between its keys: positions, points and the rest change evenly; before the first and after the last key it stays. Points
/// change only between keys that have equally many; otherwise those of the key before hold.
MaskKey maskAt(const Mask& mask, int frame);

/// Its outline in a frame, closed, full-size px, not grown: 4 corners of a box, 64 of an ellipse, 12 for each side of a curve.
/// The curve runs through its corners: Catmull and Rom, Computer Aided Geometric Design, 1974.
std::vector<Eigen::Vector2d> outlineOf(const Mask& mask, int frame);

/// 1 for every pixel whose centre lies inside a closed line (even-odd rule), 0 elsewhere.
Plane<std::uint8_t> fillLine(const std::vector<Eigen::Vector2d>& line, int width, int height);

/// Grows what is not 0 by so many px in every direction (shrinks it when under 0). What lies outside the picture counts as its border does.
/// Source: Felzenszwalb and Huttenlocher, Theory of Computing 8, 2012 (exact distances in linear time).
Plane<std::uint8_t> grown(const Plane<std::uint8_t>& inside, double px);
}  // namespace dusky
