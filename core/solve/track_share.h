#pragma once
#include "core/solve/solve_state.h"

namespace dusky {

/// Lets tracks rest until a share is left that covers every frame evenly: about `per_frame` of them in each, spread over the picture, those
/// that have a place and those that live long first. Holdout tracks never rest. Nothing rests where there are few. The share finds the cameras
/// nearly as well as all tracks would, in a fraction of the time; wakeTracks() lets the others take part again.
void restTracks(Reconstruction& work, int per_frame);

/// A share of the frames and tracks of a state, for what is tried: frames from all over the shot, or `neighbours` (as under a rolling shutter) the run in which
/// the camera turns most.
SolveState sampleOf(SolveState state, int frames, int tracks_in_frame, bool neighbours);

/// Wakes all resting tracks: gives them places from the cameras as they are and marks what lies within four standard deviations, as if they
/// had taken part.
void wakeTracks(SolveState& state);

}  // namespace dusky
