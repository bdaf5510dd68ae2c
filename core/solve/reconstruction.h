#pragma once
#include <optional>
#include <vector>

#include "core/adjust/bundle.h"
#include "core/adjust/observation_model.h"
#include "core/solve/solution.h"
#include "core/track/track_set.h"

namespace dusky {

struct WorkObservation {
  int frame_index = 0;  ///< Of its frame within the range.
  Vec2 seen = Vec2::Zero();
  bool used = true;
  bool barred = false;  ///< Taken out by the artist: never used.
};

struct WorkTrack {
  int id = 0;
  bool holdout = false;
  bool by_artist = false;    ///< Set aside by hand: measured, never used.
  bool resting = false;      ///< Left out for a while: a share of the tracks solves first (track_share.h).
  bool at_infinity = false;  ///< Its point is a direction: no parallax says how deep it lies.
  double weight = 1;         ///< Each of its sightings counts as so many.
  AsideReason reason = AsideReason::None;
  std::vector<WorkObservation> observations;
  std::optional<Vec3> point;

  /// Whether it may move cameras.
  bool takesPart() const { return !holdout && !by_artist && !resting && point && reason == AsideReason::None; }
};

/// A solve on its way: some cameras and some points have places.
struct Reconstruction {
  std::vector<int> frame_numbers;  ///< Of the range, ascending.
  std::vector<Lens> lenses = std::vector<Lens>(1);
  std::vector<int> lens_of;                ///< Of each frame; empty: all have the first.
  std::vector<double> focal_px;            ///< A zoom: of each frame; empty: there is none.
  double readout = 0;                      ///< See Bundle.
  std::optional<Vec3> arm;                 ///< See Bundle: all cameras stand so, about the world's origin.
  std::vector<std::optional<Pose>> poses;  ///< By frame; nothing where it is not placed.
  std::vector<WorkTrack> tracks;           ///< Same order as the track set's.
  std::vector<CameraTie> ties;             ///< By frame; those of frames without a camera wait.
  std::vector<CameraPlane> planes;
  SetBeliefs set;  ///< What is known of the set and the path: by the index of the track or the frame.

  int placedFrames() const;
  /// For each frame, of the other frames that have a camera the nearest one (of two the earlier one); -1 when there is none.
  std::vector<int> nearestPlaced() const;
  int indexOf(int frame) const;
  /// A zoom's focal length in a frame: evenly, by its logarithm, between the placed frames about it.
  double focalBetween(int frame) const;
  int lensOf(int frame) const { return lens_of.empty() ? 0 : lens_of[static_cast<std::size_t>(frame)]; }
  Lens lensAt(int frame) const;
  const Lens& lens() const { return lenses.front(); }
  int width() const { return lenses.front().width; }
};

/// What each frame of a reconstruction shows, as it stood when this was made.
class Views {
 public:
  explicit Views(const Reconstruction& work);
  /// Where a track's point shows in a frame; nothing when it lies behind the camera.
  std::optional<Vec2> reproject(const WorkTrack& track, const WorkObservation& o) const;
  /// Distance of that from where it was seen; a large one when it lies behind.
  double error(const WorkTrack& track, const WorkObservation& o) const;
  /// The unit ray of a pixel, in camera axes; nothing outside of the lens's range.
  std::optional<Vec3> ray(int frame, const Vec2& pixel) const { return lenses_[static_cast<std::size_t>(frame)].ray(pixel); }
  /// The camera when the row of an observation was read.
  Pose poseFor(const WorkObservation& o) const;
  const Lens& lens(int frame) const { return lenses_[static_cast<std::size_t>(frame)]; }

 private:
  const Reconstruction& work_;
  std::vector<Lens> lenses_;
  std::vector<FrameMotion> motions_;
};

Reconstruction makeReconstruction(const TrackSet& tracks, const std::vector<int>& set_aside_ids, double holdout_share, std::uint64_t seed);

/// A reconstruction with at most so many of its placed frames, evenly spread; the first and the last stay.
Reconstruction thinnedFrames(const Reconstruction& work, int most);

/// A reconstruction with that run of so many neighbouring frames only in which the camera turns most.
Reconstruction turningRun(const Reconstruction& work, int count);

/// Least-squares place of one track from its placed cameras (all observations, or the used ones only), the parallax of it. A far track gets
/// its mean direction.
struct Placed {
  Vec3 point;
  double parallax_rad;
};
std::optional<Placed> placeTrack(const Reconstruction& work, const Views& views, const WorkTrack& track, bool only_used);

/// Some of the frames, by frame; empty: all of them.
struct FramePart {
  std::vector<std::uint8_t> in;    ///< Takes part.
  std::vector<std::uint8_t> held;  ///< Of those: it stays as it is.
};

/// The middle of the placed cameras, and how far they go from there.
struct PathExtent {
  Vec3 middle = Vec3::Zero();
  double reach = 0;
};
PathExtent pathExtent(const Reconstruction& work);

/// A bundle of all placed cameras and of the tracks that take part; `adjustReconstruction` runs it and takes the result back.
BundleSummary adjustReconstruction(Reconstruction& work, const BundleOptions& options, const Progress& progress, const FramePart& part = {});

/// Bundle for the reconstruction as it stands, with the maps back. For covariances as well.
struct MappedBundle {
  Bundle bundle;
  std::vector<int> camera_frame;  ///< Bundle camera to frame index.
  std::vector<int> point_track;   ///< Bundle point to track index.
};
MappedBundle makeBundle(const Reconstruction& work, const FramePart& part = {});

/// What an insert slips, px, when `other`'s cameras are taken for `set`'s, over the frames that both have placed (insert_slip.h).
double slipBetween(const Reconstruction& set, const Reconstruction& other);
}  // namespace dusky
