#include "core/solve/judge.h"

#include <cmath>

#include "core/base/numbers.h"
#include "core/base/parallel.h"

namespace dusky {
namespace {

double errorOf(const Reconstruction& work, const WorkTrack& track, const WorkObservation& o) {
  const auto seen = project(work.lens, *work.cameras[o.camera], *track.point);
  return seen ? (*seen - o.seen).norm() : 1e9;
}

/// A point that follows its rays to nowhere: parallax too small to say how deep. It still holds the cameras' turn.
constexpr double kFarthest = 1e7;

AsideReason sortOutTrack(Reconstruction& work, WorkTrack& track, const Limits& limits) {
  int seen = 0, good = 0;
  for (WorkObservation& o : track.observations) {
    if (!work.cameras[o.camera]) continue;
    ++seen;
    o.used = errorOf(work, track, o) <= limits.tolerance_px;
    good += o.used;
  }
  if (good < limits.min_frames) return AsideReason::FewGoodFrames;
  if (good < limits.min_share * seen) return AsideReason::HighError;
  return AsideReason::None;
}

}  // namespace

double errorSpread(const Reconstruction& work) {
  std::vector<double> errors;
  for (const WorkTrack& track : work.tracks) {
    if (!track.takesPart()) continue;
    for (const WorkObservation& o : track.observations) {
      if (work.cameras[o.camera]) errors.push_back(errorOf(work, track, o));
    }
  }
  return median(std::move(errors)) / 1.1774;  // the median of a 2D error is 1.1774 sigma of one coordinate
}

void sortOut(Reconstruction& work, const Limits& limits) {
  parallelFor(
      static_cast<int>(work.tracks.size()),
      [&](int t) {
        WorkTrack& track = work.tracks[t];
        if (track.point) track.reason = sortOutTrack(work, track, limits);
      },
      32);
}

void placeTracks(Reconstruction& work, bool all) {
  parallelFor(
      static_cast<int>(work.tracks.size()),
      [&](int t) {
        WorkTrack& track = work.tracks[t];
        if (track.takesPart() && !all) return;
        const bool fresh = !track.point;
        auto placed = placeTrack(work, track, !fresh);
        if (!placed && !fresh) placed = placeTrack(work, track, false);
        if (placed && placed->point.allFinite() && placed->point.norm() < kFarthest) {
          track.point = placed->point;
          if (fresh) track.reason = AsideReason::None;
        } else if (fresh || !track.takesPart()) {
          track.point.reset();
          track.reason = AsideReason::NoParallax;
        }
      },
      16);
}

Judgement judge(Reconstruction& work) {
  parallelFor(
      static_cast<int>(work.tracks.size()),
      [&](int t) {
        WorkTrack& track = work.tracks[t];
        if (!track.holdout || !track.point) return;
        const auto placed = placeTrack(work, track, true);
        if (placed)
          track.point = placed->point;
        else
          track.point.reset(), track.reason = AsideReason::NoParallax;  // an old place would be judged in a new world
      },
      16);
  Judgement result;
  double squares = 0, holdout_squares = 0;
  int holdout_used = 0;
  for (const WorkTrack& track : work.tracks) {
    if (!track.point || track.by_artist || track.reason != AsideReason::None) continue;
    result.holdout_kept += track.holdout;
    for (const WorkObservation& o : track.observations) {
      if (!o.used || !work.cameras[o.camera]) continue;
      const double error = errorOf(work, track, o);
      (track.holdout ? holdout_squares : squares) += error * error;
      ++(track.holdout ? holdout_used : result.used);
    }
  }
  if (result.used > 0) result.rms_px = std::sqrt(squares / result.used);
  if (holdout_used > 0) result.holdout_rms_px = std::sqrt(holdout_squares / holdout_used);
  result.sigma_px = errorSpread(work);
  return result;
}

}  // namespace dusky
