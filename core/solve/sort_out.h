#pragma once
#include "core/solve/reconstruction.h"

namespace dusky {

/// Sightings of one track whose errors go together (its patch is a little off in all frames) and count as one.
inline constexpr double kCorrelatedSightings = 10;

/// What the errors of a reconstruction look like.
struct Judgement {
  double sigma_px = kUnknown;  ///< Robust spread of one coordinate, from the median error of used tracks.
  double rms_px = kUnknown;    ///< Used observations of the tracks that take part.
  double holdout_rms_px = kUnknown;
  int used = 0, holdout_kept = 0;
};

/// Limits that separate good observations from bad ones.
struct Limits {
  double tolerance_px = 4.0;                 ///< Largest error of a used observation.
  int min_frames = 3;                        ///< Good observations that a track needs.
  double min_share = 0.5;                    ///< Of its observations in placed frames that must be good.
  std::vector<double> tolerance_in_frame{};  ///< Where a frame has one of its own, px; empty: none has.
  double toleranceIn(int frame) const { return tolerance_in_frame.empty() ? tolerance_px : tolerance_in_frame[static_cast<std::size_t>(frame)]; }
};

/// While lens and path are rough: errors of this size, px, are still looked at, and observations up to twice of it stay.
inline constexpr double kRoughPx = 4.0;
inline constexpr Limits kRoughLimits{.tolerance_px = 2 * kRoughPx, .min_frames = 2, .min_share = 0.4};

/// Limits for frames that are on their way: one most of whose sightings are beyond the tolerance is off as a whole, and gets as wide a one as its errors are.
/// Left with nothing that holds it, it could never come back.
Limits withFramesOff(const Reconstruction& work, Limits limits);

/// Sorts out one track that has a point: marks its observations and says why it is set aside, if it is.
AsideReason sortOutTrack(const Reconstruction& work, const Views& views, WorkTrack& track, const Limits& limits);

/// A place near by where the parallax says how deep it lies, else (with a `far_rad` over 0) a direction; says which in the track.
std::optional<Placed> placeNearOrFar(const Reconstruction& work, const Views& views, WorkTrack& track, bool only_used, double far_rad);

/// The median length of a plane error, in standard deviations of one coordinate.
inline constexpr double kMedianOfSpread = 1.1774;

/// Robust spread of the errors over all observations of tracks that take part (used or not).
double errorSpread(const Reconstruction& work);

/// Marks each observation as used when its error is within the limits, and each track's reason. Tracks that were set
/// aside for errors may come back. Holdout tracks are judged by the same limits; resting ones stay as they are.
void sortOut(Reconstruction& work, const Limits& limits);

/// Sets tracks aside whose errors creep along a line through time: what slides over the set (a reflection, an edge at two depths) stays within any tolerance
/// for a while, and bends the camera. Held against how much the errors of all tracks creep, so that a camera that is still off takes none with it.
void setSlidersAside(Reconstruction& work);

/// Leaves to both only what both use: the same tracks and sightings. Shapes: reconstructions of the same tracks.
void useCommon(Reconstruction& a, Reconstruction& b);

/// Gives a place to every track that can have one: those without a point, and all holdout and set-aside tracks anew; resting ones stay as
/// they are.
/// `all`: also moves points that are already placed. Under `far_rad` of parallax a track becomes a direction; 0: it gets no place.
void placeTracks(Reconstruction& work, bool all, double far_rad);

/// Gives the holdout tracks their places anew, from their used observations; those that get none lose their old place.
void placeHoldout(Reconstruction& work);

/// RMS of the tracks that take part and of the holdout tracks, as they stand.
Judgement measured(const Reconstruction& work);
}  // namespace dusky
