#pragma once
#include <memory>

#include "core/geometry/pose.h"
#include "core/image/frame_source.h"

namespace dusky::testing {

/// A photographic-looking plane under a known motion, perhaps with things moving in front of it: the exact place of every texture
/// point in every frame is known, so tracks can be judged without a camera.
struct PlanePlan {
  int width = 1280, height = 720, frames = 61;
  double zoom = 1.5;                        ///< Scale of the last frame against the first.
  double roll_rad = 20 * 3.14159265 / 180;  ///< Turn of the last frame against the first.
  Vec2 pan_px = Vec2(150, -60);             ///< Way of the picture's middle over the shot.
  double swing_px = 0;                      ///< The picture goes off sideways by this much and comes back.
  double shake_px = 2;                      ///< Amplitude of a hand's shake.
  double noise = 0;                         ///< Sigma, grey levels.
  double shutter = 0;                       ///< Share of the frame time that the shutter is open: motion blur.
  double mover_share = 0;                   ///< Share of the picture under things that move on their own.
  int seed = 3;
};

class PlaneShot final : public FrameSource {
 public:
  explicit PlaneShot(PlanePlan plan);
  const FootageInfo& info() const override { return info_; }
  Result<Frame> read(int number, FrameUse use = FrameUse::Screen) override;

  /// The layer seen at a place of a frame: 0 the plane, 1... the movers.
  int layerAt(int frame, const Vec2& place) const;
  /// Where a place of one frame is in another, if it belongs to `layer`.
  Vec2 carry(int layer, int from, int to, const Vec2& place) const;
  /// Writes frames as PNG files shot.0001.png ... into a folder; false when that fails.
  bool write(const std::string& folder);

 private:
  /// Picture from layer coordinates, at a time in frames from the first (fractions for blur).
  Eigen::Affine2d pictureFromLayer(int layer, double time) const;

  PlanePlan plan_;
  FootageInfo info_;
  std::vector<FloatPlane> textures_;  ///< Of the plane and of the movers, two texture px to one px of the first frame.
};

/// Overlapping discs of all sizes, each with its own grey and grain: edges, corners and scales as photographs have them.
/// Source: Lee, Mumford and Huang, IJCV 41, 2001 (dead leaves).
FloatPlane deadLeaves(int width, int height, int seed);

}  // namespace dusky::testing
