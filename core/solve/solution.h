#pragma once
#include <memory>
#include <string>
#include <vector>

#include "core/base/progress.h"
#include "core/geometry/pose.h"
#include "core/image/plane.h"
#include "core/lens/lens.h"

namespace dusky {

enum class TrackState : std::uint8_t { Kept, SetAside, Unplaced };

/// Why a track was set aside or stayed without a place.
enum class AsideReason : std::uint8_t { None, ByArtist, HighError, FewGoodFrames, NoParallax, BehindCamera };
std::string_view describe(AsideReason reason);

/// One observation as the solve sees it.
struct TrackError {
  int frame = 0;
  Vec2 reprojected = Vec2::Zero();  ///< px; meaningless where error_px is unknown.
  double error_px = kUnknown;       ///< Measured to reprojected; unknown where frame or track has no place.
  bool used = false;                ///< Took part (or, for holdout, would have).
};

struct SolvedTrack {
  int id = 0;
  TrackState state = TrackState::Unplaced;
  AsideReason reason = AsideReason::None;
  bool holdout = false;
  Vec3 point = Vec3::Zero();  ///< In the solve's own world; meaningless when unplaced.
  Rgb color;
  int life = 0;                                                   ///< Frames.
  double typical_error_px = kUnknown, worst_error_px = kUnknown;  ///< RMS and largest over its used frames (over all where none is used).
  int worst_frame = 0;
  double parallax_rad = kUnknown;
  std::vector<TrackError> errors;  ///< One for each observation, in order.
};

struct SolvedFrame {
  int frame = 0;
  bool placed = false;
  Pose pose;                                                      ///< In the solve's own world.
  double sigma_centre = kUnknown, sigma_rotation_rad = kUnknown;  ///< One standard deviation, solve's units; radians.
  double rms_px = kUnknown, holdout_rms_px = kUnknown;
  int tracks = 0;  ///< Kept tracks used here.
};

/// One rung: what was released, and whether it stayed.
struct StaircaseStep {
  std::string released;  ///< "focal", "k1", "k2", "centre", "decentring".
  double rms_px = kUnknown, holdout_rms_px = kUnknown;
  bool kept = false;
};

struct SolveSummary {
  Termination termination = Termination::NotRun;
  int rounds = -1;                             ///< Bundle adjustments over all frames.
  int observations = -1;                       ///< Used.
  int holdout_tracks = -1, holdout_kept = -1;  ///< Drawn; those that the same limits would keep.
  double tolerance_px = kUnknown;              ///< Largest error of a used observation.
  double total_s = kUnknown;
  std::vector<std::string> warnings;
};

/// Everything one solve found. A value: made once, shared, never changed.
struct Solution {
  std::vector<SolvedFrame> frames;  ///< One for each frame of the range.
  std::vector<SolvedTrack> tracks;  ///< One for each track, ids ascending.
  Lens lens;
  std::array<double, 8> lens_sigma{};  ///< Same order as Lens::parameters(); unknown where a parameter was not free.
  double rms_px = kUnknown;            ///< Over used observations of kept tracks.
  double holdout_rms_px = kUnknown;    ///< The same over the holdout tracks, under the same limits.
  std::string motion = "free";
  std::vector<StaircaseStep> staircase;
  SolveSummary summary;

  const SolvedTrack* find(int id) const;
  const SolvedFrame* frameAt(int frame) const;
  int placedFrames() const;
  int keptTracks() const;  ///< Without holdout.
};
using SolutionPtr = std::shared_ptr<const Solution>;

}  // namespace dusky
