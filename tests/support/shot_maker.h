#pragma once
#include <functional>
#include <memory>
#include <string>
#include <vector>

#include "core/image/frame_source.h"
#include "core/lens/lens.h"

namespace dusky::testing {

/// A box of the set: a centre, half sizes, a turn about Y, and its own piece of texture. It may move with the frame.
struct Box {
  Vec3 centre = Vec3::Zero(), half = Vec3::Ones();
  double turn_rad = 0;
  int texture = 0;
  Vec3 velocity = Vec3::Zero();  ///< Units per frame: an actor in the shot.
  double gloss = 0;              ///< Share of what its faces show that is a reflection of what is far: it slides over them as the camera moves.
};

/// What a made-up shot looks like. World: Y up, ground at y = 0 (a height field of gentle bumps), walls and boxes on it.
struct ShotPlan {
  int width = 640, height = 360, frames = 30, first_frame = 1;
  Lens lens = Lens::simple(640, 360, 560);
  std::function<Pose(double t)> path;        ///< t from 0 to 1.
  std::function<double(double t)> focal_px;  ///< Zoom; unset: the lens's own.
  std::vector<Box> boxes;
  double bump_height = 0.12;  ///< Of the ground, units; 0 is a plane.
  bool wall = true;           ///< A wall behind the boxes.
  double noise = 1.0;         ///< Sigma of the picture noise, grey levels.
  int seed = 5;
  int samples = 3;       ///< Rays across and down a pixel at edges.
  double readout = 0;    ///< Rolling shutter: from the first row to the last, frame intervals. The middle row is read when the truth stands.
  double shutter = 0;    ///< How long a row is lit, frame intervals: motion blur; 0: a moment.
  int blur_samples = 5;  ///< Moments that are averaged in it.
};

/// The usual set (a dozen boxes of all sizes before a wall on bumpy ground) with a camera path of a kind.
enum class ShotKind { Free, Dolly, Orbit, Nodal, Planar, Still, Moving, Zoom };
ShotPlan planShot(ShotKind kind);

/// Exact truth, in the conventions of truth files.
struct ShotTruth {
  std::vector<Pose> poses;
  std::vector<Lens> lenses;               ///< One a frame.
  std::vector<Vec3> points;               ///< Static points on the set, seen in several frames.
  std::vector<std::vector<int>> visible;  ///< Frame numbers in which each is seen.
};

/// A ray-cast shot held in memory, and its truth.
class MadeShot final : public FrameSource {
 public:
  explicit MadeShot(ShotPlan plan);
  const FootageInfo& info() const override { return info_; }
  Result<Frame> read(int number, FrameUse use = FrameUse::Screen) override;

  const ShotPlan& plan() const { return plan_; }
  const ShotTruth& truth() const { return truth_; }
  /// Where ray (origin, direction) meets the set at a frame index; nothing for the sky.
  std::optional<Vec3> meet(const Vec3& origin, const Vec3& direction, int frame_index) const;
  /// Writes frames as PNG files name.0001.png ... into a folder and truth.json beside them; false when that fails.
  bool write(const std::string& folder, const std::string& name) const;
  std::string truthJson() const;

 private:
  void render(int index);
  void castRays(const Lens& lens);
  void choosePoints();

  ShotPlan plan_;
  FootageInfo info_;
  ShotTruth truth_;
  std::vector<FloatPlane> pictures_;
  std::vector<Vec3> rays_;  ///< Of the pixel centres, for the lens last used.
  Lens rays_lens_;
};

/// The folder of a small made-up sequence, quay.0001.png and on; written once by a program for each number of frames.
const std::string& quaySequence(int frames);

/// Smooth, never repeating grey, 0 to 1, at a place of a texture: sums of value noise.
double texture(const Vec3& place, int which);

}  // namespace dusky::testing
