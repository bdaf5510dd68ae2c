#include "core/solve/warm_start.h"

#include "core/solve/knowledge_setup.h"

#include <cmath>

#include "core/solve/sort_out.h"
#include "core/solve/path_shape.h"
#include "core/solve/start.h"

namespace dusky {
namespace {

/// A lens for every camera of the shot: those that the earlier solve has, and for others the first one to begin with.
void takeLenses(const Solution& earlier, const SolveOptions& options, Reconstruction& work) {
  std::size_t cameras = 1;
  for (const int camera : work.lens_of) cameras = std::max(cameras, static_cast<std::size_t>(camera) + 1);
  work.lenses.clear();
  for (std::size_t l = 0; l < cameras; ++l) work.lenses.push_back(earlier.cameras[l < earlier.cameras.size() ? l : 0].lens);
  for (Lens& lens : work.lenses) {
    if (options.known_lens)
      lens = *options.known_lens;
    else
      lens.pixel_aspect = options.pixel_aspect;
    if (options.focal == FocalKnowledge::Locked) lens.focal_px = options.focal_px;
    putKnownValues(options, lens);
  }
}

/// Returns the middle of the path.
Vec3 takeCameras(const Solution& earlier, Reconstruction& work) {
  if (earlier.zooms()) work.focal_px.assign(work.poses.size(), earlier.lens().focal_px);
  Vec3 middle = Vec3::Zero();
  int placed = 0;
  for (std::size_t f = 0; f < work.poses.size(); ++f) {
    const SolvedFrame* frame = earlier.frameAt(work.frame_numbers[f]);
    if (!frame || !frame->placed) continue;
    work.poses[f] = frame->pose;
    if (earlier.zooms()) work.focal_px[f] = frame->focal_px;
    middle += frame->pose.centre;
    ++placed;
  }
  return placed > 0 ? Vec3(middle / placed) : middle;
}

void takePoints(const Solution& earlier, const Vec3& middle, Reconstruction& work) {
  for (WorkTrack& track : work.tracks) {
    const SolvedTrack* solved = earlier.find(track.id);
    if (!solved || !solved->hasPlace()) continue;
    track.at_infinity = solved->at_infinity;
    track.point = solved->at_infinity ? Vec3((solved->point - middle).normalized()) : solved->point;
    track.reason = solved->state == TrackState::Kept || solved->reason == AsideReason::ByArtist ? AsideReason::None : solved->reason;
  }
}

/// Frames that the earlier solve held in place, those of them that have a camera.
std::vector<int> heldFrames(const Solution& earlier, const Reconstruction& work) {
  std::vector<int> held;
  for (const Stretch& stretch : earlier.stretches) {
    for (int f = 0; f < static_cast<int>(work.poses.size()); ++f) {
      const int number = work.frame_numbers[static_cast<std::size_t>(f)];
      if (number >= stretch.first && number <= stretch.last && work.poses[static_cast<std::size_t>(f)]) held.push_back(f);
    }
  }
  return held;
}

/// Which sightings took part, as the earlier solve says it.
void takeUsed(const Solution& earlier, Reconstruction& work) {
  for (WorkTrack& track : work.tracks) {
    const SolvedTrack* solved = earlier.find(track.id);
    if (!solved || solved->errors.size() != track.observations.size()) continue;
    for (std::size_t i = 0; i < track.observations.size(); ++i) track.observations[i].used = solved->errors[i].used && !track.observations[i].barred;
  }
}

/// Holdout tracks that the earlier solve let take part, because something is known of them, take part again.
void takeReleased(const Solution& earlier, Reconstruction& work) {
  for (WorkTrack& track : work.tracks) {
    const SolvedTrack* solved = earlier.find(track.id);
    track.holdout = track.holdout && (!solved || solved->holdout);
  }
}

/// Of a camera that rotates about the origin.
std::optional<Vec3> armOf(const Solution& earlier) {
  const auto placed = std::find_if(earlier.frames.begin(), earlier.frames.end(), [](const SolvedFrame& f) { return f.placed; });
  if (placed == earlier.frames.end()) return std::nullopt;
  return placed->pose.world_from_camera.conjugate() * placed->pose.centre;
}

}  // namespace

SolveState warmStart(const Solution& earlier, const TrackSet& tracks, const SolveOptions& options) {
  SolveState state = startingState(tracks, options);
  Reconstruction& work = state.work;
  takeLenses(earlier, options, work);
  takePoints(earlier, takeCameras(earlier, work), work);
  holdFrames(state, heldFrames(earlier, work));
  const bool found_itself = options.auto_readout && options.readout == 0 && earlier.readout != 0;
  work.readout = (options.free_readout || found_itself) && earlier.readout != 0 ? earlier.readout : options.readout;
  state.readout_free = options.free_readout || found_itself;
  const LensParameters& sigma = earlier.cameras.front().sigma;
  for (int k = 0; k < kMostLensParameters; ++k) state.freedom[k] = !std::isnan(sigma[k]) && sigma[k] > 0;
  state.freedom = withoutKnown(options, earlier.lens().model, state.freedom);
  state.freedom[0] = firstFreedom(options, earlier.lens().model)[0] && !earlier.evidence.focal_assumed;
  if (options.known_lens) state.freedom = LensFreedom{};
  if (earlier.lens().model == LensModel::Anamorphic) state.squeeze = std::round(20 * earlier.lens().squeeze()) / 20;
  state.nodal = earlier.motion == MotionKind::Nodal;
  if (earlier.motion == MotionKind::Arc) work.arm = armOf(earlier);
  state.staircase = earlier.staircase;
  state.rival = earlier.evidence.rival;
  state.motion_why = earlier.motion_why;  // what is said of the path is found anew
  return state;
}

SolveState finalState(const Solution& earlier, const TrackSet& tracks, const SolveOptions& options) {
  SolveState state = warmStart(earlier, tracks, options);
  state.path = earlier.motion == MotionKind::Rail ? CameraMotion::Rail : earlier.motion == MotionKind::Flat ? CameraMotion::Flat : CameraMotion::Free;
  state.path_why = earlier.path_why;
  state.lens_settled = true;
  state.tolerance_px = earlier.summary.tolerance_px;
  takeUsed(earlier, state.work);
  takeReleased(earlier, state.work);
  state.spread_px = errorSpread(state.work);
  tieZoom(state);
  shapePath(state.work, state.path, state.spread_px);
  takeKnowledge(earlier.knowledge, state.work);
  return state;
}

bool canWarmStart(const SolveOptions& options, const Solution& earlier) {
  const auto asks = [&](CameraMotion motion, MotionKind kind) { return (options.motion == motion) == (earlier.motion == kind); };
  if (options.motion != CameraMotion::Auto && !(asks(CameraMotion::Nodal, MotionKind::Nodal) && asks(CameraMotion::Arc, MotionKind::Arc))) return false;
  if (options.focal == FocalKnowledge::Zoom && !earlier.zooms()) return false;
  if ((options.focal == FocalKnowledge::Near || options.focal == FocalKnowledge::Locked) && earlier.zooms()) return false;
  const LensModel model = earlier.lens().model;
  if (options.known_lens) return options.known_lens->model == model;
  if (std::abs(options.pixel_aspect - earlier.lens().pixel_aspect) > 1e-9) return false;
  switch (options.lens) {
    case LensChoice::Auto: return true;
    case LensChoice::None: return model == LensModel::None;
    case LensChoice::Brown: return model == LensModel::Brown;
    case LensChoice::Fisheye: return model == LensModel::Fisheye;
    case LensChoice::Anamorphic: return model == LensModel::Anamorphic;
  }
  return true;
}

}  // namespace dusky
