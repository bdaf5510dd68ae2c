#pragma once
#include <functional>

#include "core/solve/solution.h"
#include "core/track/track_set.h"

namespace dusky {

/// How much is known of the focal length.
enum class FocalKnowledge { Unknown, Near, Locked };

struct SolveOptions {
  FocalKnowledge focal = FocalKnowledge::Unknown;
  double focal_px = 0;          ///< Start (Near) or value (Locked), px, > 0; not read when Unknown.
  bool lens_distortion = true;  ///< Whether distortion and principal point may be released.
  double holdout_share = 0.1;   ///< Tracks that judge and never take part, 0 to 0.5.
  int max_rounds = 5;           ///< Of adjusting and sorting out, 1 to 50.
  int seed = 1;                 ///< Of samples and of the holdout draw.
  std::vector<int> set_aside;   ///< Track ids that the artist took out, ascending.

  Status check() const;
  bool operator==(const SolveOptions&) const = default;
};

/// Camera path, lens and points from tracks: keyframes first (initial pair, growing) under one or several trial focal
/// lengths, then every frame, then the staircase of lens parameters, then rounds of adjusting and sorting out.
/// The world of the result is free: position, rotation and scale are set later by the scene.
/// `on_partial`, when set, hears the camera path as it grows, from the calling thread.
/// Errors: InvalidInput for options out of range; CannotSolve with the reason: no motion, no parallax, too few tracks.
/// Cancelled when stopped (no result is kept).
Result<SolutionPtr> solveShot(const TrackSet& tracks, const SolveOptions& options, const Progress& progress,
                              const std::function<void(SolutionPtr)>& on_partial = {});

}  // namespace dusky
