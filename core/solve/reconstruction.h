#pragma once
#include <optional>
#include <vector>

#include "core/solve/bundle.h"
#include "core/solve/solution.h"
#include "core/track/track_set.h"

namespace dusky {

struct WorkObservation {
  int camera = 0;  ///< Index of its frame within the range.
  Vec2 seen = Vec2::Zero();
  bool used = true;
};

struct WorkTrack {
  int id = 0;
  bool holdout = false;
  bool by_artist = false;  ///< Set aside by hand: measured, never used.
  AsideReason reason = AsideReason::None;
  std::vector<WorkObservation> observations;
  std::optional<Vec3> point;

  /// Whether it may move cameras.
  bool takesPart() const { return !holdout && !by_artist && point && reason == AsideReason::None; }
};

/// A solve on its way: some cameras and some points have places.
struct Reconstruction {
  std::vector<int> frame_numbers;  ///< Of the cameras, ascending.
  Lens lens;
  std::vector<std::optional<Pose>> cameras;  ///< By frame.
  std::vector<WorkTrack> tracks;             ///< Same order as the track set's.

  int placedCameras() const;
  int indexOf(int frame) const;
};

Reconstruction makeReconstruction(const TrackSet& tracks, const std::vector<int>& set_aside_ids, double holdout_share, std::uint64_t seed);

/// Least-squares place of one track from its placed cameras (all observations, or the used ones only), the parallax of it.
struct Placed {
  Vec3 point;
  double parallax_rad;
};
std::optional<Placed> placeTrack(const Reconstruction& work, const WorkTrack& track, bool only_used);

/// A bundle of all placed cameras and of the tracks that take part; `adjustReconstruction` runs it and takes the result back.
BundleSummary adjustReconstruction(Reconstruction& work, const BundleOptions& options, const Progress& progress);

/// Bundle for the reconstruction as it stands, with the maps back. For covariances as well.
struct MappedBundle {
  Bundle bundle;
  std::vector<int> camera_frame;  ///< Bundle camera to frame index.
  std::vector<int> point_track;   ///< Bundle point to track index.
};
MappedBundle makeBundle(const Reconstruction& work);

}  // namespace dusky
