#pragma once
#include <span>

#include "core/image/resample.h"
#include "core/lens/lens.h"

namespace dusky {

/// The undistorted picture that cameras without distortion look through: that of a pinhole whose axis meets its middle. In every frame of one size; of a zoom
/// its focal length may go along.
struct Plate {
  int width = 0, height = 0;
  double pixel_aspect = 1;  ///< Width of a pixel over its height.
  int left = 0, top = 0;    ///< How far it reaches beyond a middle part of the footage's size, px each side ("overscan").
  double focal_px = 0;      ///< 0: the solve's own in each frame.
  double cut_share = 0;     ///< Of the footage's picture: what lies outside of it, the worst frame.
  double empty_share = 0;   ///< Of itself: what the footage does not show, the worst frame.

  double focalOf(const Lens& lens) const { return focal_px > 0 ? focal_px : lens.focal_px; }
  /// Where a normalised place is seen, and the way back.
  Vec2 pixelOf(const Vec2& normalised, double focal) const {
    return {focal * normalised.x() + 0.5 * width, focal * pixel_aspect * normalised.y() + 0.5 * height};
  }
  Vec2 normalisedOf(const Vec2& pixel, double focal) const { return {(pixel.x() - 0.5 * width) / focal, (pixel.y() - 0.5 * height) / (focal * pixel_aspect)}; }
};

/// What an undistorted picture is of.
struct PlateShape {
  bool whole = false;   ///< So large that all of the footage lies in it; else as large as the footage.
  double most = 2.5;    ///< A whole one is at most so many times as wide and high as the footage: a lens may see beyond what a plane can show.
  double focal_px = 0;  ///< Of it; 0: that of each lens.
};

/// The one undistorted picture for all of these lenses, at least one, whose pictures are of one size.
Plate plateFor(std::span<const Lens> lenses, const PlateShape& shape);

/// Where each pixel of the plate is in the footage, through the lens; not a number where that shows nothing of it.
SourceMap footageFromPlate(const Plate& plate, const Lens& lens);
/// Where each pixel of the footage is on the plate; beyond its edges too. Not a number outside the lens's monotonic range.
SourceMap plateFromFootage(const Plate& plate, const Lens& lens);

}  // namespace dusky
