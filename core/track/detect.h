#pragma once
#include <functional>
#include <vector>

#include "core/geometry/pose.h"
#include "core/image/pyramid.h"
#include "core/track/track_set.h"

namespace dusky {

/// Which sizes are looked for.
struct FeatureSizes {
  bool fine = false, medium = true, coarse = true;
  bool any() const { return fine || medium || coarse; }
  bool operator==(const FeatureSizes&) const = default;
};

struct DetectOptions {
  int count = 500;              ///< Features wanted over the whole picture, 1 to 20000.
  double min_strength = 3.0;    ///< Floor of the smaller eigenvalue, mean over the window, (grey levels / px)^2; noise of 1 level gives about 0.5.
  double min_distance_px = 11;  ///< Between features, full-size px, > 0.
  FeatureSizes sizes;
  int margin_px = 14;  ///< From the picture's edge.
  /// Says of a place (full-size px) whether a feature may stand there; unset: anywhere.
  std::function<bool(const Vec2&)> allowed;
};

struct Feature {
  Vec2 position = Vec2::Zero();  ///< Full-size px, sub-pixel.
  double strength = 0;           ///< Comparable between sizes.
  FeatureSize size = FeatureSize::Medium;
};

/// Pyramid level that a size is found and followed on.
constexpr int levelOf(FeatureSize size) { return size == FeatureSize::Coarse ? 1 : 0; }
/// Full-size px to one px of that level.
constexpr float pxOf(FeatureSize size) { return static_cast<float>(1 << levelOf(size)); }

/// Corners spread evenly: the picture is cut into cells of equal share, each gets its strongest, no two nearer than
/// min_distance_px to each other or to `taken`. `taken` count towards their cells' shares; only cells that want more are looked at.
/// Strongest first. Empty where the picture holds no texture.
/// Sources: strength: Shi and Tomasi, CVPR 1994; sub-pixel place: Foerstner and Guelch, ISPRS Intercommission Workshop, 1987.
std::vector<Feature> detectFeatures(const Pyramid& pyramid, const std::vector<Vec2>& taken, const DetectOptions& options);

}  // namespace dusky
