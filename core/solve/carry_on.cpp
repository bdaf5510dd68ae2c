#include "core/solve/carry_on.h"

#include <cmath>

namespace dusky {

LensFreedom takeFrom(const Solution& earlier, Reconstruction& work) {
  work.lenses.clear();
  for (const SolvedCamera& camera : earlier.cameras) work.lenses.push_back(camera.lens);
  work.readout = earlier.readout;
  if (earlier.zooms()) work.focal_px.assign(work.cameras.size(), earlier.lens().focal_px);
  Vec3 middle = Vec3::Zero();
  int placed = 0;
  for (std::size_t f = 0; f < work.cameras.size(); ++f) {
    const SolvedFrame* frame = earlier.frameAt(work.frame_numbers[f]);
    if (!frame || !frame->placed) continue;
    work.cameras[f] = frame->pose;
    if (earlier.zooms()) work.focal_px[f] = frame->focal_px;
    middle += frame->pose.centre;
    ++placed;
  }
  if (placed > 0) middle /= placed;
  for (WorkTrack& track : work.tracks) {
    const SolvedTrack* solved = earlier.find(track.id);
    if (!solved || solved->state == TrackState::Unplaced) continue;
    track.far = solved->far;
    track.point = solved->far ? Vec3((solved->point - middle).normalized()) : solved->point;
    track.reason = solved->state == TrackState::Kept || solved->reason == AsideReason::ByArtist ? AsideReason::None : solved->reason;
  }
  LensFreedom freedom{};
  for (int k = 0; k < kMostLensParameters; ++k) freedom[k] = !std::isnan(earlier.cameras.front().sigma[k]) && earlier.cameras.front().sigma[k] > 0;
  return freedom;
}

bool canCarryOn(const SolveOptions& options, const Solution& earlier) {
  const bool nodal = earlier.motion == "nodal";
  if (options.motion != CameraMotion::Auto && (options.motion == CameraMotion::Nodal) != nodal) return false;
  if (options.focal == FocalKnowledge::Zoom && !earlier.zooms()) return false;
  if ((options.focal == FocalKnowledge::Near || options.focal == FocalKnowledge::Locked) && earlier.zooms()) return false;
  const LensModel model = earlier.lens().model;
  if (options.known_lens) return options.known_lens->model == model;
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
