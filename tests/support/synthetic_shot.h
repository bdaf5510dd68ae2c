#pragma once
#include <functional>
#include <optional>

#include "core/solve/reconstruction.h"
#include "core/track/track_set.h"

namespace dusky::testing {

/// What a shot without pictures is made of: cameras walk past a cloud of points and see them through a lens.
struct SyntheticPlan {
  int frames = 20, points = 150, first_frame = 1;
  double noise_px = 0;       ///< Sigma of each coordinate.
  double outlier_share = 0;  ///< Tracks that wander off on their own.
  double step = 0.12;        ///< Of the camera, scene units a frame; 0: it turns on the spot.
  int life = 0;              ///< Longest run of frames of a track; 0: all of them.
  std::uint64_t seed = 1;
  Lens lens = Lens::simple(1280, 720, 1100);
  std::function<Pose(int index)> path;  ///< Unset: a walk with a slow turn.
  /// Where a ray from a camera meets the set, if it does; unset: every other point on the ground, the rest above it.
  std::function<std::optional<Vec3>(const Vec3& from, const Vec3& ray)> set;
  std::function<double(int index)> focal_px;   ///< A zoom; unset: the lens's own.
  double readout = 0;                          ///< Of a rolling shutter, frame intervals.
  double slide_share = 0, slide_px = 0;        ///< Tracks that creep off by so much over their life: reflections, edges at different depths.
  double mover_share = 0;                      ///< Tracks on a thing that moves on its own, rigidly ...
  std::function<Pose(int index)> mover;        ///< ... so: world from its own axes.
  std::function<Pose(int index)> other_mover;  ///< Half of those are on a second thing, if there is one.
  int gap_from = 0, gap_frames = 0;            ///< From the frame of this index on, for so many, most sightings are lost: a flash, smoke.
};

/// The truth, and the tracks that follow from it. Points lie on the ground (y = 0) and above it; the camera walks at 1.6.
struct SyntheticShot {
  SyntheticPlan plan;
  std::vector<Pose> poses;
  std::vector<Vec3> points;   ///< Of track id i + 1 at i.
  std::vector<bool> outlier;  ///< Wanders off, slides or belongs to what moves.
  std::vector<int> moves;     ///< Which of the things that move it is on, from 1; 0: none.
  TrackSet tracks;
};

SyntheticShot makeSyntheticShot(const SyntheticPlan& plan);

/// Every camera and point where it truly is; holdout tracks drawn.
Reconstruction reconstructionAtTruth(const SyntheticShot& shot, double holdout_share = 0);

/// The solution that a perfect solve of the shot would give, in the truth's own world; errors are against the tracks as they are.
Solution perfectSolution(const SyntheticShot& shot);

/// A walk straight on, `step` units a frame, with a hand's turns and shake.
Pose walkingOn(int index, double step);

/// A path of four units that is bowed upwards by 3 % of its length, with a slow turn.
std::function<Pose(int index)> bowedPath(int frames);

/// A walk that stops in the frame of index `from`, of so many frames, and then rotates away from everything seen so far.
SyntheticPlan rotatingFrom(int frames, int from);

/// Two walls that meet in a corner before the camera, and the floor.
std::optional<Vec3> onTwoWalls(const Vec3& from, const Vec3& ray);
/// The floor alone.
std::optional<Vec3> onTheFloor(const Vec3& from, const Vec3& ray);

/// RMS distance of camera centres after the best similarity, in the truth's units.
double pathError(const SyntheticShot& shot, const Solution& solution);

/// Largest angle between a solved and a true camera after the same, degrees.
double worstTurn_deg(const SyntheticShot& shot, const Solution& solution);

}  // namespace dusky::testing
