#include "core/solve/describe.h"

#include <cmath>

#include "core/base/parallel.h"
#include "core/geometry/triangulation.h"

namespace dusky {
namespace {

/// Where directions are shown: about the middle of the path, so far away that the path hardly counts.
struct FarPlace {
  Vec3 middle;
  double distance;
};

FarPlace farPlaceOf(const Reconstruction& work) {
  const auto [middle, reach] = pathExtent(work);
  constexpr double kFarAway = 3000;
  return {middle, reach > 1e-9 ? kFarAway * reach : kFarDistance};
}

SolvedTrack describeTrack(const Reconstruction& work, const Views& views, const FarPlace& far, const WorkTrack& track, const Track& source) {
  SolvedTrack out{.id = track.id, .holdout = track.holdout, .color = source.color, .life = source.life()};
  out.reason = track.by_artist ? AsideReason::ByArtist : track.reason;
  out.state = track.by_artist                     ? TrackState::SetAside
              : !track.point                      ? TrackState::Unplaced
              : track.reason == AsideReason::None ? TrackState::Kept
                                                  : TrackState::SetAside;
  if (track.point) out.point = track.at_infinity ? Vec3(far.middle + far.distance * *track.point) : *track.point;
  double squares = 0;
  int used = 0;
  std::vector<Vec3> centres;
  for (const WorkObservation& o : track.observations) {
    TrackError error{.frame = work.frame_numbers[o.frame_index], .used = o.used && track.point.has_value()};
    const auto seen = track.point && work.poses[o.frame_index] ? views.reproject(track, o) : std::nullopt;
    if (seen) {
      error.reprojected = *seen;
      error.error_px = (*seen - o.seen).norm();
      // Frames that were left out count as the worst only where nothing else is left.
      if (o.used && used == 0) out.worst_error_px = kUnknown;
      if ((o.used || used == 0) && !(error.error_px <= out.worst_error_px)) out.worst_error_px = error.error_px, out.worst_frame = error.frame;
      if (o.used) squares += error.error_px * error.error_px, ++used;
      centres.push_back(work.poses[o.frame_index]->centre);
    } else {
      error.used = false;
    }
    out.errors.push_back(error);
  }
  if (used > 0) out.typical_error_px = std::sqrt(squares / used);
  out.at_infinity = track.at_infinity;
  if (track.point && !track.at_infinity && centres.size() > 1) out.parallax_rad = parallaxAt(*track.point, centres);
  return out;
}

void describeFrames(const Reconstruction& work, Solution& out) {
  const std::size_t count = work.poses.size();
  out.frames.resize(count);
  std::vector<double> squares(count, 0.0), holdout(count, 0.0);
  std::vector<int> holdout_used(count, 0);
  for (const SolvedTrack& track : out.tracks) {
    if (track.state != TrackState::Kept) continue;
    for (const TrackError& e : track.errors) {
      if (!e.used) continue;
      const int f = work.indexOf(e.frame);
      if (track.holdout)
        holdout[f] += e.error_px * e.error_px, ++holdout_used[f];
      else
        squares[f] += e.error_px * e.error_px, ++out.frames[f].tracks;
    }
  }
  for (std::size_t f = 0; f < count; ++f) {
    SolvedFrame& frame = out.frames[f];
    frame.frame = work.frame_numbers[f];
    frame.placed = work.poses[f].has_value();
    frame.camera = work.lensOf(static_cast<int>(f));
    if (frame.placed) frame.pose = *work.poses[f];
    if (frame.placed && !work.focal_px.empty()) frame.focal_px = work.focal_px[f];
    if (frame.tracks > 0) frame.rms_px = std::sqrt(squares[f] / frame.tracks);
    if (holdout_used[f] > 0) frame.holdout_rms_px = std::sqrt(holdout[f] / holdout_used[f]);
  }
}
}  // namespace

void describe(const Reconstruction& work, const TrackSet& tracks, Solution& out) {
  const Views views(work);
  const FarPlace far = farPlaceOf(work);
  out.tracks.resize(work.tracks.size());
  out.summary.holdout_tracks = 0;
  parallelFor(
      static_cast<int>(work.tracks.size()), [&](int t) { out.tracks[t] = describeTrack(work, views, far, work.tracks[t], tracks.tracks[t]); }, 16);
  for (const SolvedTrack& track : out.tracks) out.summary.holdout_tracks += track.holdout;
  describeFrames(work, out);
  out.cameras.resize(work.lenses.size());
  for (std::size_t l = 0; l < work.lenses.size(); ++l) {
    out.cameras[l].name = std::string(1, static_cast<char>('A' + l % 26));
    out.cameras[l].lens = work.lenses[l];
    if (!work.focal_px.empty()) out.cameras[l].lens.focal_px = work.focal_px[work.focal_px.size() / 2];
  }
  out.readout = work.readout;
}
}  // namespace dusky
