#pragma once
#include <vector>

#include "core/geometry/pose.h"
#include "core/image/pyramid.h"

namespace dusky {

struct DetectOptions {
  int count = 500;              ///< Features wanted over the whole picture, 1 to 20000.
  double min_strength = 3.0;    ///< Floor of the smaller eigenvalue, mean over the window, (grey levels / px)^2; noise of 1 level gives about 0.5.
  double min_distance_px = 11;  ///< Between features, full-size px, > 0.
  int window_radius = 5;        ///< Of the structure tensor, px of its level.
  int levels = 2;               ///< Pyramid levels searched: 1 fine only, 2 also coarse.
  int margin_px = 14;           ///< From the picture's edge.
};

struct Feature {
  Vec2 position = Vec2::Zero();  ///< Full-size px, sub-pixel.
  double strength = 0;           ///< Comparable between levels.
  int level = 0;                 ///< Where it was found.
};

/// Corners spread evenly: the picture is cut into cells of equal share, each gets its strongest, no two nearer than
/// min_distance_px to each other or to `taken`. `taken` count towards their cells' shares.
/// Strongest first. Empty where the picture holds no texture.
/// Sources: strength: Shi and Tomasi, CVPR 1994; sub-pixel place: Foerstner and Guelch, ISPRS Intercommission Workshop, 1987.
std::vector<Feature> detectFeatures(const Pyramid& pyramid, const std::vector<Vec2>& taken, const DetectOptions& options);

/// The smaller eigenvalue of the windowed structure tensor at every pixel of a plane; 0 near the border.
FloatPlane cornerStrength(const FloatPlane& plane, int window_radius);

}  // namespace dusky
