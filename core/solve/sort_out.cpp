#include "core/solve/sort_out.h"

#include <cmath>

#include "core/base/numbers.h"
#include "core/base/parallel.h"
#include "core/solve/drift.h"

namespace dusky {
namespace {

/// A point that follows its rays to nowhere: parallax too small to say how deep. It still holds the cameras' turn.
constexpr double kFarthest = 1e7;
constexpr double kNowhere = 1e6;  // px: the point lies behind the camera

/// Calls with each sighting of the tracks that take part, used or not, and its error.
template <class Visit>
void visitErrors(const Reconstruction& work, const Visit& visit) {
  const Views views(work);
  for (const WorkTrack& track : work.tracks) {
    if (!track.takesPart()) continue;
    for (const WorkObservation& o : track.observations) {
      if (work.poses[o.frame_index]) visit(o, views.error(track, o));
    }
  }
}

/// How much of a track's squared errors a straight drift takes away, px^2; nothing for one that lives too short to tell.
std::optional<double> driftOf(const Reconstruction& work, const Views& views, const WorkTrack& track) {
  constexpr int kFewest = 8;
  Drift drift;
  for (const WorkObservation& o : track.observations) {
    const auto shown = o.used && work.poses[o.frame_index] ? views.reproject(track, o) : std::nullopt;
    if (shown) drift.add(o.frame_index - track.observations.front().frame_index, *shown - o.seen);
  }
  return drift.count() >= kFewest && drift.isTold() ? std::optional(drift.explained()) : std::nullopt;
}

}  // namespace

AsideReason sortOutTrack(const Reconstruction& work, const Views& views, WorkTrack& track, const Limits& limits) {
  int seen = 0, good = 0;
  for (WorkObservation& o : track.observations) {
    if (!work.poses[o.frame_index]) continue;
    ++seen;
    o.used = !o.barred && views.error(track, o) <= limits.toleranceIn(o.frame_index);
    good += o.used;
  }
  if (good < limits.min_frames) return AsideReason::FewGoodFrames;
  if (good < limits.min_share * seen) return AsideReason::HighError;
  return AsideReason::None;
}

double errorSpread(const Reconstruction& work) {
  std::vector<double> errors;
  visitErrors(work, [&](const WorkObservation&, double error) { errors.push_back(error); });
  return median(std::move(errors)) / kMedianOfSpread;
}

Limits withFramesOff(const Reconstruction& work, Limits limits) {
  constexpr double kWide = 2.5;
  constexpr std::size_t kFewest = 6;
  std::vector<std::vector<double>> errors(work.poses.size());
  visitErrors(work, [&](const WorkObservation& o, double error) { errors[static_cast<std::size_t>(o.frame_index)].push_back(error); });
  limits.tolerance_in_frame.assign(work.poses.size(), limits.tolerance_px);
  for (std::size_t f = 0; f < errors.size(); ++f) {
    if (errors[f].size() < kFewest) continue;
    const double usual = median(std::move(errors[f]));
    if (usual > limits.tolerance_px) limits.tolerance_in_frame[f] = std::min(kWide * usual, kRoughLimits.tolerance_px);
  }
  return limits;
}

void sortOut(Reconstruction& work, const Limits& limits) {
  const Views views(work);
  parallelFor(
      static_cast<int>(work.tracks.size()),
      [&](int t) {
        WorkTrack& track = work.tracks[t];
        if (track.point && !track.resting) track.reason = sortOutTrack(work, views, track, limits);
      },
      32);
}

void setSlidersAside(Reconstruction& work) {
  constexpr double kClearly = 30, kMedian = 1.386;  // of a chi-squared with two degrees of freedom
  const Views views(work);
  std::vector<std::optional<double>> drifts(work.tracks.size());
  parallelFor(
      static_cast<int>(work.tracks.size()),
      [&](int t) {
        if (work.tracks[t].point && !work.tracks[t].resting && work.tracks[t].reason == AsideReason::None) drifts[t] = driftOf(work, views, work.tracks[t]);
      },
      32);
  std::vector<double> usual;
  for (std::size_t t = 0; t < drifts.size(); ++t) {
    if (drifts[t] && work.tracks[t].takesPart()) usual.push_back(*drifts[t]);
  }
  constexpr std::size_t kFewestTracks = 24;
  if (usual.size() < kFewestTracks) return;
  const double most = kClearly * median(std::move(usual)) / kMedian;
  for (std::size_t t = 0; t < drifts.size(); ++t) {
    if (drifts[t] && *drifts[t] > most) work.tracks[t].reason = AsideReason::Slides;
  }
}

std::optional<Placed> placeNearOrFar(const Reconstruction& work, const Views& views, WorkTrack& track, bool only_used, double far_rad) {
  track.at_infinity = false;
  auto near = placeTrack(work, views, track, only_used);
  if (near && near->point.allFinite() && near->point.norm() < kFarthest && near->parallax_rad >= far_rad) return near;
  if (far_rad <= 0) return std::nullopt;
  track.at_infinity = true;
  return placeTrack(work, views, track, only_used);
}

void placeTracks(Reconstruction& work, bool all, double far_rad) {
  const Views views(work);
  parallelFor(
      static_cast<int>(work.tracks.size()),
      [&](int t) {
        WorkTrack& track = work.tracks[t];
        if (track.resting || (track.takesPart() && !all && !track.at_infinity)) return;
        const bool fresh = !track.point;
        auto placed = placeNearOrFar(work, views, track, !fresh, far_rad);
        if (!placed && !fresh) placed = placeNearOrFar(work, views, track, false, far_rad);
        if (placed) {
          track.point = placed->point;
          if (fresh) track.reason = AsideReason::None;
        } else if (fresh || !track.takesPart()) {
          track.point.reset();
          track.reason = AsideReason::NoParallax;
        }
      },
      16);
}

void placeHoldout(Reconstruction& work) {
  const Views views(work);
  parallelFor(
      static_cast<int>(work.tracks.size()),
      [&](int t) {
        WorkTrack& track = work.tracks[t];
        if (!track.holdout || !track.point) return;
        const auto placed = placeTrack(work, views, track, true);
        if (placed)
          track.point = placed->point;
        else
          track.point.reset(), track.reason = AsideReason::NoParallax;  // an old place would be judged in a new world
      },
      16);
}

Judgement measured(const Reconstruction& work) {
  const Views views(work);
  Judgement result;
  double squares = 0, holdout_squares = 0;
  int holdout_used = 0;
  for (const WorkTrack& track : work.tracks) {
    if (!track.point || track.by_artist || track.resting || track.reason != AsideReason::None) continue;
    result.holdout_kept += track.holdout;
    for (const WorkObservation& o : track.observations) {
      if (!o.used || !work.poses[o.frame_index]) continue;
      const double error = views.error(track, o);
      if (error > kNowhere) continue;
      (track.holdout ? holdout_squares : squares) += error * error;
      ++(track.holdout ? holdout_used : result.used);
    }
  }
  if (result.used > 0) result.rms_px = std::sqrt(squares / result.used);
  if (holdout_used > 0) result.holdout_rms_px = std::sqrt(holdout_squares / holdout_used);
  result.sigma_px = errorSpread(work);
  return result;
}

void useCommon(Reconstruction& a, Reconstruction& b) {
  for (std::size_t t = 0; t < a.tracks.size(); ++t) {
    WorkTrack &one = a.tracks[t], &other = b.tracks[t];
    if (!one.takesPart() || !other.takesPart()) one.resting = other.resting = true;
    for (std::size_t k = 0; k < one.observations.size(); ++k) {
      const bool both = one.observations[k].used && other.observations[k].used;
      one.observations[k].used = other.observations[k].used = both;
    }
  }
}

}  // namespace dusky
