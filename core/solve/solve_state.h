#pragma once
#include "core/solve/reconstruction.h"
#include "core/solve/solve_options.h"

namespace dusky {

/// A solve on its way, as a value: what is placed, what is free, and why. Stages (stages.h) are functions over it, so a round can be run,
/// repeated or inserted anywhere, and a state can be kept to come back to.
struct SolveState {
  Reconstruction work;
  LensFreedom freedom{};                          ///< Lens parameters that move.
  bool nodal = false;                             ///< The camera only rotates: all centres are one.
  CameraMotion path = CameraMotion::Auto;         ///< As asked, or the plainer path that was found: Rail and Flat hold the centres.
  std::vector<int> held;                          ///< Frames, by index, ascending, that rotate in their neighbours' place.
  double spread_px = kUnknown;                    ///< Robust standard deviation of one coordinate of the errors, as last measured.
  double squeeze = 2;                             ///< Of an anamorphic lens: what is believed of it.
  bool readout_free = false;                      ///< A rolling shutter is looked for.
  bool lens_settled = false;                      ///< A first settling is done; from then on a readout may be free.
  std::string motion_why, path_why;               ///< What decided about motion, zoom and shutter; about a plainer path (empty: there is none).
  Rival rival;                                    ///< The explanation that came second.
  std::vector<StaircaseStep> staircase;           ///< Climbed so far.
  int rounds = 0;                                 ///< Adjustments of all placed frames.
  double tolerance_px = kUnknown;                 ///< Of the last sorting out.
  Termination termination = Termination::NotRun;  ///< Of the last adjustment of all placed frames.
};

/// Nothing placed yet; holdout tracks drawn.
SolveState startingState(const TrackSet& tracks, const SolveOptions& options);

/// What a solution of this state says of its motion.
MotionKind motionOf(const SolveState& state);

/// What a lens of this kind and picture is usually like, and what the artist knows of it, against the errors seen. Errors along one track go together, so an
/// observation counts for a part of one only.
LensPrior lensPrior(const SolveState& state, const SolveOptions& options, const Lens& lens);

/// What an adjustment of this state frees and believes: under a robust loss of the usual width; as wide as the errors seen; plain squares
/// to the end.
BundleOptions adjustOptions(const SolveState& state, const SolveOptions& options);
BundleOptions robustOptions(const SolveState& state, const SolveOptions& options);
BundleOptions finalOptions(const SolveState& state, const SolveOptions& options);

/// The same with every focal length as it stands.
BundleOptions withFocalHeld(BundleOptions options);

/// Ties neighbouring frames of a zoom, anew: they have nearly one focal length, most often exactly one.
void tieZoom(SolveState& state);
/// A focal length for each frame, all as they are; one in their place; or a readout that is looked for.
void freeZoom(SolveState& state);
void holdZoom(SolveState& state);
void freeReadout(SolveState& state);
/// Unknowns a frame that a zoom's focal lengths count for: neighbours have nearly the same.
inline constexpr double kFocalsOfZoom = 0.5;
/// Keeps these frames where their neighbours stand.
void holdFrames(SolveState& state, const std::vector<int>& frames);
/// Holds none any more; they stay where they are.
void letHeldFramesGo(SolveState& state);
/// Parallax under which a depth would be noise, radians.
double farLimit(const SolveState& state);

}  // namespace dusky
