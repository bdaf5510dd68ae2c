#include "core/solve/finished.h"

#include <fmt/format.h>

#include "core/adjust/uncertainty.h"
#include "core/solve/describe.h"
#include "core/solve/sort_out.h"

namespace dusky {
namespace {

/// Errors that fill the whole tolerance, on what is left of the tracks, are no fit at all.
Status refuseLooseFit(const Solution& solution) {
  constexpr double kLoosePx = 1.5, kFewShare = 0.6;
  const double judged = static_cast<double>(solution.tracks.size()) - solution.summary.holdout_tracks;
  const double share = static_cast<double>(solution.keptTracks()) / std::max(1.0, judged);
  if (!(solution.rms_px > kLoosePx) || share > kFewShare) return Done{};
  return cannotSolve(
      fmt::format("The tracks do not fit one still set: {:.0f} % of them agree, and only to {:.1f} px. Leave out what moves, shorten the range, or give the "
                  "focal length.",
                  100 * share, solution.rms_px));
}

/// The planes as they stand, and how well they are known: a plane's offset where its points are.
void fillPlanes(const SolveState& state, const std::vector<Mat3>& covariances, Solution& out) {
  const Reconstruction& work = state.work;
  std::vector<Vec3> sums(work.set_planes.size(), Vec3::Zero());
  std::vector<int> counts(work.set_planes.size(), 0);
  for (const PointOnPlane& member : work.members) {
    const WorkTrack& track = work.tracks[member.point];
    if (track.takesPart()) sums[member.plane] += *track.point, ++counts[member.plane];
  }
  for (std::size_t k = 0; k < work.set_planes.size(); ++k) {
    const SetPlane& plane = work.set_planes[k];
    SolvedPlane& solved = out.knowledge.planes.emplace_back();
    solved.normal = plane.normal, solved.offset = plane.offset;
    if (k >= covariances.size()) continue;
    const Mat3& covariance = covariances[k];
    solved.sigma_normal_rad = std::sqrt(std::max(covariance(0, 0) + covariance(1, 1), 0.0) / 2);
    if (std::isnan(covariance(0, 0))) solved.sigma_normal_rad = kUnknown;
    if (counts[k] == 0) continue;
    const Vec3 middle = sums[k] / counts[k];
    const Vec3 slope(tiltsOf(plane.normal).col(0).dot(middle), tiltsOf(plane.normal).col(1).dot(middle), -1);
    solved.sigma_offset = std::sqrt(std::max(0.0, slope.dot(covariance * slope)));
  }
}

void fillUncertainty(const SolveState& state, const SolveTask& task, Solution& out) {
  const MappedBundle mapped = makeBundle(state.work);
  const CameraUncertainty sigma = cameraUncertainty(mapped.bundle, finalOptions(state, task.options), task.progress);
  for (std::size_t l = 0; l < out.cameras.size(); ++l)
    out.cameras[l].sigma = sigma.lens[l], out.cameras[l].lens_sigma_px = sigma.lens_px[l], out.cameras[l].curve = sigma.lens_curve[l];
  for (std::size_t c = 0; c < mapped.camera_frame.size(); ++c) {
    SolvedFrame& frame = out.frames[mapped.camera_frame[c]];
    frame.sigma_centre = sigma.centre[c];
    frame.sigma_rotation_rad = sigma.rotation_rad[c];
    if (!sigma.focal_px.empty()) frame.sigma_focal_px = sigma.focal_px[c];
  }
  for (std::size_t p = 0; p < mapped.point_track.size(); ++p) {
    SolvedTrack& track = out.tracks[mapped.point_track[p]];
    track.sigma_point = meanDeviation(sigma.points[p]), track.covariance = sigma.points[p];
  }
  out.sigma_readout = sigma.readout, out.evidence.slip_sigma_px = sigma.slip_px;
  fillPlanes(state, sigma.planes, out);
}

}  // namespace

Result<Finished> finished(SolveState state, const SolveTask& task, const Progress& progress) {
  finish(state, task, progress);
  if (task.progress.stopRequested()) return cancelled();
  return concluded(std::move(state), task);
}

Result<Finished> concluded(SolveState state, const SolveTask& task) {
  placeHoldout(state.work);
  const Judgement judgement = measured(state.work);
  Solution out;
  describe(state.work, task.tracks, out);
  out.rms_px = judgement.rms_px, out.holdout_rms_px = judgement.holdout_rms_px;
  out.motion = motionOf(state), out.motion_why = state.motion_why, out.path_why = state.path_why;
  out.staircase = state.staircase;
  out.evidence.rival = state.rival;
  out.summary.termination = state.termination, out.summary.rounds = state.rounds, out.summary.tolerance_px = state.tolerance_px;
  out.summary.observations = judgement.used, out.summary.holdout_kept = judgement.holdout_kept;
  if (out.placedFrames() < 2 || out.keptTracks() < 8)
    return cannotSolve(fmt::format("Too few tracks agree on a camera: {} left. Track more features, or leave out what moves.", out.keptTracks()));
  if (const Status fits = refuseLooseFit(out); !fits.ok()) return fits.error();
  fillUncertainty(state, task, out);
  if (task.progress.stopRequested()) return cancelled();
  return Finished{std::move(state), std::move(out)};
}

}  // namespace dusky
