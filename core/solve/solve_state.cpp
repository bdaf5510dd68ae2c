#include "core/solve/solve_state.h"

#include <cmath>

#include "core/base/numbers.h"
#include "core/solve/sort_out.h"

namespace dusky {
namespace {

constexpr double kHeld = 1e4;  // of a tie that holds a rotating camera in its place, px^2 per unit^2

double weightOf(const SolveState& state, double sigma) {
  const double spread = std::isnan(state.spread_px) ? 0.3 : state.spread_px;
  return kCorrelatedSightings * spread * spread / (sigma * sigma);
}

/// What is usual of a model's own coefficients.
void believeModel(const SolveState& state, LensModel model, LensPrior& prior) {
  const auto weight = [&](double sigma) { return weightOf(state, sigma); };
  switch (model) {
    case LensModel::None: break;
    case LensModel::Brown:
      prior.weight[3] = weight(0.1), prior.weight[4] = weight(0.3), prior.weight[5] = weight(0.3);
      prior.weight[6] = prior.weight[7] = weight(0.002);
      break;
    case LensModel::Fisheye:
      for (int k = 3; k < 7; ++k) prior.weight[k] = weight(0.1);
      break;
    case LensModel::Anamorphic:
      prior.mean[3] = state.squeeze, prior.weight[3] = weight(0.03 * state.squeeze), prior.weight[4] = weight(0.01);
      for (int k = 5; k < kMostLensParameters; ++k) prior.weight[k] = weight(k % 5 < 2 ? 0.2 : 0.3);
      break;
  }
}

}  // namespace

static void dropSightings(Reconstruction& work, const std::vector<TrackFrame>& dropped) {
  if (dropped.empty()) return;
  for (WorkTrack& track : work.tracks) {
    for (WorkObservation& o : track.observations) {
      o.barred = std::binary_search(dropped.begin(), dropped.end(), TrackFrame{track.id, work.frame_numbers[static_cast<std::size_t>(o.frame_index)]});
      o.used = o.used && !o.barred;
    }
  }
}

SolveState startingState(const TrackSet& tracks, const SolveOptions& options) {
  SolveState state{.work = makeReconstruction(tracks, options.set_aside, options.holdout_share, static_cast<std::uint64_t>(options.seed))};
  dropSightings(state.work, options.dropped);
  for (WorkTrack& track : state.work.tracks) track.weight = weightOfTrack(options.weights, track.id);
  state.work.lens_of = options.camera_of;
  state.path = options.motion;
  state.readout_free = options.free_readout;
  return state;
}

MotionKind motionOf(const SolveState& state) {
  if (state.nodal) return MotionKind::Nodal;
  if (state.work.arm) return MotionKind::Arc;
  return state.path == CameraMotion::Rail ? MotionKind::Rail : state.path == CameraMotion::Flat ? MotionKind::Flat : MotionKind::Free;
}

LensPrior lensPrior(const SolveState& state, const SolveOptions& options, const Lens& lens) {
  LensPrior prior;
  prior.mean = Lens::simple(lens.width, lens.height, 0, lens.model).parameters();
  prior.weight[1] = prior.weight[2] = weightOf(state, 0.008 * lens.width);
  believeModel(state, lens.model, prior);
  for (int k = 0; k < kMostLensParameters; ++k) {
    const KnownValue* known = knownValueOf(options, lens.model, k);
    if (known && known->sigma > 0) prior.mean[k] = known->value, prior.weight[k] = weightOf(state, known->sigma);
  }
  if (options.focal == FocalKnowledge::Near) prior.mean[0] = options.focal_px, prior.weight[0] = weightOf(state, options.focal_tolerance * options.focal_px);
  return prior;
}

BundleOptions adjustOptions(const SolveState& state, const SolveOptions& options) {
  std::vector<LensTerms> terms;
  for (const Lens& lens : state.work.lenses) terms.push_back({withoutKnown(options, lens.model, state.freedom), lensPrior(state, options, lens)});
  return {.lens_terms = std::move(terms),
          .fixed_centres = state.nodal || state.work.arm,
          .free_focal = !state.work.focal_px.empty(),
          .free_readout = state.readout_free && state.lens_settled};
}

BundleOptions robustOptions(const SolveState& state, const SolveOptions& options) {
  BundleOptions robust = adjustOptions(state, options);
  robust.loss_px = std::clamp(2.5 * state.spread_px, 0.2, 2.0);
  return robust;
}

BundleOptions finalOptions(const SolveState& state, const SolveOptions& options) {
  BundleOptions plain = adjustOptions(state, options);
  plain.loss = Loss::Squared;
  plain.max_steps = 60, plain.damping = 1e-6, plain.settled = 1e-6;
  return plain;
}

BundleOptions withFocalHeld(BundleOptions options) {
  options.free_focal = options.free_lens[0] = false;
  for (LensTerms& terms : options.lens_terms) terms.free[0] = false;
  return options;
}

void tieZoom(SolveState& state) {
  Reconstruction& work = state.work;
  if (work.focal_px.empty()) return;
  std::erase_if(work.ties, [](const CameraTie& tie) { return tie.focal > 0; });
  const double spread = std::isnan(state.spread_px) ? 0.5 : std::max(0.02, state.spread_px);
  constexpr double kUsualChange = 0.0015;
  std::vector<int> placed;
  for (int f = 0; f < static_cast<int>(work.poses.size()); ++f) {
    if (work.poses[f]) placed.push_back(f);
  }
  for (std::size_t i = 1; i < placed.size(); ++i) {
    const double frames = work.frame_numbers[placed[i]] - work.frame_numbers[placed[i - 1]];
    work.ties.push_back(
        {.a = placed[i - 1], .b = placed[i], .focal = std::pow(spread / (kUsualChange * frames), 2), .focal_leap = 1.5 * kUsualChange * frames});
  }
}

void freeZoom(SolveState& state) {
  state.work.focal_px.assign(state.work.poses.size(), state.work.lens().focal_px);
  state.freedom[0] = false;
}

void holdZoom(SolveState& state) {
  Reconstruction& work = state.work;
  const double focal_px = median(work.focal_px);
  for (Lens& lens : work.lenses) lens.focal_px = focal_px;
  work.focal_px.clear();
  std::erase_if(work.ties, [](const CameraTie& tie) { return tie.focal > 0; });
  state.freedom[0] = true;
}

void freeReadout(SolveState& state) { state.readout_free = state.lens_settled = true; }

void letHeldFramesGo(SolveState& state) {
  state.held.clear();
  std::erase_if(state.work.ties, [](const CameraTie& tie) { return tie.centre > 0; });
}

void holdFrames(SolveState& state, const std::vector<int>& frames) {
  for (const int f : frames) {
    for (const int other : {f - 1, f + 1}) {
      if (other >= 0 && other < static_cast<int>(state.work.poses.size())) state.work.ties.push_back({.a = f, .b = other, .centre = kHeld});
    }
  }
  state.held.insert(state.held.end(), frames.begin(), frames.end());
  std::sort(state.held.begin(), state.held.end());
}

double farLimit(const SolveState& state) {
  const double spread = std::isnan(state.spread_px) ? 0.3 : std::max(0.05, state.spread_px);
  return (state.work.arm ? 0.5 : 2) * spread / state.work.lens().focal_px;
}

}  // namespace dusky
