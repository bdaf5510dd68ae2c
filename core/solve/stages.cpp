#include "core/solve/stages.h"

#include <cmath>

#include "core/solve/arm.h"
#include "core/solve/extend.h"
#include "core/solve/sort_out.h"
#include "core/solve/path_shape.h"
#include "core/solve/staircase.h"
#include "core/solve/track_share.h"
#include "core/solve/rotation_only.h"

namespace dusky {
namespace {

constexpr int kFramesForLens = 40;
constexpr int kTracksInFrame = 150;  // of the share that finds the cameras

int countUsed(const Reconstruction& work) {
  int used = 0;
  for (const WorkTrack& track : work.tracks) {
    if (!track.takesPart()) continue;
    for (const WorkObservation& o : track.observations) used += o.used;
  }
  return used;
}

void climb(SolveState& state, const SolveTask& task, const Progress& progress) {
  const SolveOptions& asked = task.options;
  StaircaseOptions options{.base = robustOptions(state, asked), .releases = asked.releases, .climbs = asked.lens != LensChoice::None && !asked.known_lens};
  const Reconstruction settled = state.work;
  options.reached = &settled, options.reached_with = state.freedom;
  // The staircase begins without distortion, so that each parameter is judged by what it gains.
  if (!asked.known_lens) {
    for (Lens& lens : state.work.lenses) {
      if (lens.model == LensModel::Anamorphic) state.squeeze = std::round(20 * lens.squeeze()) / 20;
      lens.coefficients.fill(0);
      if (lens.model == LensModel::Anamorphic) lens.squeeze() = state.squeeze;
      putKnownValues(asked, lens);
    }
  }
  for (LensTerms& terms : options.base.lens_terms) terms.free = LensFreedom{}, terms.free[0] = state.freedom[0];
  LensFreedom all;
  all.fill(true);
  const LensFreedom unknown = withoutKnown(asked, state.work.lens().model, all);
  for (int k = 0; k < kMostLensParameters; ++k) options.known[k] = !unknown[k];
  for (std::size_t l = 0; l < state.work.lenses.size(); ++l) options.base.lens_terms[l].prior = lensPrior(state, asked, state.work.lenses[l]);
  state.freedom = climbStaircase(state.work, options, state.staircase, progress);
}

/// An adjustment of everything that is placed.
BundleSummary adjustAll(SolveState& state, const BundleOptions& options, const Progress& progress) {
  const BundleSummary made = adjustReconstruction(state.work, options, progress);
  state.termination = made.termination;
  ++state.rounds;
  return made;
}

/// Where a shot hardly tells its focal length the valley is long and bent, and steps that gain little go a long way: until the next full one promises less than
/// anything that could show.
void goToTheEnd(SolveState& state, const SolveTask& task, const Progress& progress) {
  constexpr double kShows = 0.02, kMatters = 0.5;  // of a squared standard deviation of the noise
  constexpr double kKept = 0.1;                    // of what the steps promised: less, and the next ones go nowhere either
  constexpr double kStands_px = 0.02;              // no insert goes that far any more
  constexpr int kRounds = 12;
  for (int round = 0; round < kRounds && !progress.stopRequested(); ++round) {
    BundleOptions options = finalOptions(state, task.options);
    const double sigma_px = errorSpread(state.work), least = sigma_px * sigma_px;
    const double promised = expectedGain(makeBundle(state.work).bundle, options);
    if (promised < kMatters * least) state.termination = Termination::Settled;
    if (!(promised > kShows * least)) return;
    options.settled = 1e-8;
    const Reconstruction before = state.work;
    const BundleSummary made = adjustAll(state, options, progress);
    if (progress.stopRequested()) return;
    const bool stands = slipBetween(before, state.work) < kStands_px;
    if (stands) state.termination = Termination::Settled;
    if (stands || !(made.cost_before - made.cost_after > kKept * promised)) return;
  }
}

}  // namespace

void placeAllFrames(SolveState& state, const SolveTask& task, const Progress& progress) {
  tieZoom(state);
  Reconstruction& work = state.work;
  const auto seed = static_cast<std::uint64_t>(task.options.seed);
  BundleOptions adjusting = adjustOptions(state, task.options);
  adjusting.loss_px = 2;
  for (bool first = true, more = true; more && !progress.stopRequested(); first = false) {
    const int before = work.placedFrames();
    if (state.nodal) {
      progress.report(0, "rotating the frames between the keyframes");
      placeRotations(work, seed);
    } else if (extendToMissing(work, adjusting, seed, progress) == 0) {
      const std::vector<int> rotated = holdAndRotate(work, seed);
      if (!work.arm) holdFrames(state, rotated);
    }
    if (work.arm) standOnArm(work, *work.arm);
    sortOutRoughly(state, first);
    more = work.placedFrames() > before && work.placedFrames() < static_cast<int>(work.poses.size());
  }
}

void settle(SolveState& state, const SolveTask& task, int rounds, const Progress& progress) {
  for (int round = 0; round < rounds && !progress.stopRequested(); ++round) {
    const Progress part = progress.part(static_cast<double>(round) / rounds, (round + 1.0) / rounds);
    state.spread_px = errorSpread(state.work);
    tieZoom(state);
    shapePath(state.work, state.path, state.spread_px);
    BundleOptions options = robustOptions(state, task.options);
    // The first round only shows what to leave out.
    options.max_steps = round == 0 ? 6 : 12, options.settled = 1e-4;
    options.damping = round == 0 ? 1e-5 : 1e-6;  // it stands nearly where it must
    adjustAll(state, options, part);
    if (progress.stopRequested()) return;
    const int used_before = countUsed(state.work);
    // The last round leaves nothing in that is beyond the tolerance.
    sortOutNow(state, round + 1 < rounds);
    task.tell(state);
    const int used = countUsed(state.work);
    if (std::abs(used - used_before) <= used / 200) break;
  }
  state.lens_settled = true;
}

double adjustToTheEnd(SolveState& state, const SolveTask& task, int most_steps, double settled) {
  BundleOptions options = robustOptions(state, task.options);
  options.max_steps = most_steps, options.settled = settled;
  return adjustReconstruction(state.work, options, task.progress.silent()).cost_after;
}

void sortOutRoughly(SolveState& state, bool all) {
  placeTracks(state.work, all, farLimit(state));
  sortOut(state.work, kRoughLimits);
}

void sortOutNow(SolveState& state, bool frames_may_be_off) {
  placeTracks(state.work, false, farLimit(state));
  state.tolerance_px = std::clamp(4.0 * errorSpread(state.work), 0.1, kRoughPx);
  const Limits limits{.tolerance_px = state.tolerance_px};
  sortOut(state.work, frames_may_be_off ? withFramesOff(state.work, limits) : limits);
  setSlidersAside(state.work);
}

void findLens(SolveState& state, const SolveTask& task) {
  const Reconstruction all = state.work;
  const int rounds = state.rounds;
  state.work = thinnedFrames(state.work, std::max(kFramesForLens, static_cast<int>(state.work.poses.size()) / 5));
  wakeTracks(state);
  settle(state, task, 2, task.progress.part(0.35, 0.5));
  if (!task.progress.stopRequested()) climb(state, task, task.progress.part(0.5, 0.68));
  if (task.progress.stopRequested() || state.work.placedFrames() == all.placedFrames()) return;
  state.rounds = rounds;  // those were of a part of the frames
  Reconstruction before = all;
  for (const int f : state.held) state.work.poses[f].reset(), before.poses[f].reset();
  letHeldFramesGo(state);
  shareTracks(state);
  placeAsBefore(state.work, before, state.nodal);
  placeTracks(state.work, false, farLimit(state));
  placeAllFrames(state, task, task.progress.part(0.68, 0.7));
  for (std::size_t f = 0; f < all.poses.size(); ++f) {
    if (!state.work.poses[f]) state.work.poses[f] = all.poses[f];
  }
}

void findLensAgain(SolveState& state, const SolveTask& task, const Progress& progress) {
  state.staircase.clear();
  if (!state.lens_settled) settle(state, task, 2, progress);
  if (!progress.stopRequested()) climb(state, task, progress);
  settle(state, task, task.options.max_rounds, progress);
}

void shareTracks(SolveState& state) { restTracks(state.work, kTracksInFrame); }

void finish(SolveState& state, const SolveTask& task, const Progress& progress) {
  progress.report(0, "judging");
  wakeTracks(state);
  for (int round = 0; round < 2 && !progress.stopRequested(); ++round) {
    BundleOptions options = finalOptions(state, task.options);
    if (round == 0) options.max_steps = 8, options.settled = 1e-4;
    adjustAll(state, options, progress);
    if (round == 0 && !progress.stopRequested()) sortOutNow(state);
  }
  goToTheEnd(state, task, progress);
}

}  // namespace dusky
