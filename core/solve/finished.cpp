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

/// The covariance of the set's shapes comes back.
std::vector<Eigen::MatrixXd> fillUncertainty(const SolveState& state, const SolveTask& task, Solution& out) {
  const MappedBundle mapped = makeBundle(state.work);
  CameraUncertainty sigma = cameraUncertainty(mapped.bundle, finalOptions(state, task.options), task.progress);
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
  return std::move(sigma.shapes);
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
  auto shapes = fillUncertainty(state, task, out);
  if (task.progress.stopRequested()) return cancelled();
  return Finished{std::move(state), std::move(out), std::move(shapes)};
}

}  // namespace dusky
