#include "core/review/prune.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>

#include "core/review/reviewed_solve.h"
#include "core/review/solve_difference.h"
#include "core/solve/remeasure.h"
#include "core/solve/sort_out.h"
#include "core/solve/stages.h"
#include "core/solve/warm_start.h"

namespace dusky {
namespace {

/// How far cameras moved, in their own standard deviations.
void comparePath(const Solution& from, const Reconstruction& after, PrunePrediction& prediction) {
  prediction.path_shift_sigmas = 0;
  for (std::size_t f = 0; f < from.frames.size(); ++f) {
    const SolvedFrame& frame = from.frames[f];
    if (!frame.placed || !after.poses[f] || !(frame.sigma_centre > 0)) continue;
    const double shift = (after.poses[f]->centre - frame.pose.centre).norm() / frame.sigma_centre;
    if (shift > prediction.path_shift_sigmas) prediction.path_shift_sigmas = shift, prediction.path_frame = frame.frame;
  }
}

/// Limits over which tracks stand out, as the kept tracks of a solve show it: so many times what is usual among them.
PruneRules rulesFrom(const Solution& solution, const std::vector<TrackMeasures>& measured, double times) {
  const UsualMeasures usual = usualOf(solution, measured);
  PruneRules rules;
  if (std::isnan(usual.typical_px)) return rules;
  rules.max_typical_px = times * usual.typical_px;
  rules.max_creep_px = 2 * times * usual.typical_px;
  rules.max_shared_px = std::max(0.5 * times * usual.typical_px, 2 * times * usual.shared_px);
  return rules;
}

/// The holdout errors of two solves over the same sightings of the same tracks: what was pruned makes neither smaller.
std::pair<double, double> holdoutOfBoth(const Solution& before, const Solution& after) {
  double one = 0, other = 0;
  int count = 0;
  for (std::size_t t = 0; t < std::min(before.tracks.size(), after.tracks.size()); ++t) {
    const SolvedTrack &a = before.tracks[t], &b = after.tracks[t];
    if (!a.holdout || a.id != b.id || a.state != TrackState::Kept || b.state != TrackState::Kept) continue;
    for (std::size_t i = 0; i < std::min(a.errors.size(), b.errors.size()); ++i) {
      if (!a.errors[i].used || !b.errors[i].used) continue;
      one += a.errors[i].error_px * a.errors[i].error_px, other += b.errors[i].error_px * b.errors[i].error_px, ++count;
    }
  }
  return {std::sqrt(one / std::max(1, count)), std::sqrt(other / std::max(1, count))};
}

/// Whether a solve is a better camera than the one before it, by what did not take part. Chance moves both figures by a few per cent.
bool isBetter(const Solution& before, const Solution& after, std::string& why) {
  constexpr double kClearly = 0.01;
  const auto [one, other] = holdoutOfBoth(before, after);
  const double halves = after.evidence.stability_px / before.evidence.stability_px;
  const bool fewer_frames = after.placedFrames() < before.placedFrames();
  why = fmt::format("holdout {:.3f} to {:.3f} px over the same sightings, the halves agree to {:.2f} px, before {:.2f} px{}", one, other,
                    after.evidence.stability_px, before.evidence.stability_px, fewer_frames ? ", and frames lost their camera" : "");
  return !fewer_frames && other < (1 - kClearly) * one && !(halves > 1 + kClearly);
}

}  // namespace

SolveOptions without(SolveOptions options, const PruneChoice& choice) {
  options.set_aside.insert(options.set_aside.end(), choice.tracks.begin(), choice.tracks.end());
  options.dropped.insert(options.dropped.end(), choice.sightings.begin(), choice.sightings.end());
  std::sort(options.set_aside.begin(), options.set_aside.end());
  std::sort(options.dropped.begin(), options.dropped.end());
  options.set_aside.erase(std::unique(options.set_aside.begin(), options.set_aside.end()), options.set_aside.end());
  options.dropped.erase(std::unique(options.dropped.begin(), options.dropped.end()), options.dropped.end());
  return options;
}

Result<PrunePrediction> predictPruning(const Solution& from, const TrackSet& tracks, const SolveOptions& options, const Progress& progress) {
  const auto before = reconstructionOf(from, tracks);
  if (!before.ok()) return before.error();
  SolveState state = finalState(from, tracks, options);
  BundleOptions step = finalOptions(state, options);
  step.max_steps = 2;
  adjustReconstruction(state.work, step, progress);
  sortOutNow(state);
  placeHoldout(state.work);
  if (progress.stopRequested()) return cancelled();
  const Judgement judgement = measured(state.work);
  PrunePrediction prediction{.rms_px = judgement.rms_px, .holdout_rms_px = judgement.holdout_rms_px};
  const auto middle = static_cast<int>(state.work.poses.size() / 2);
  prediction.focal_px = state.work.lensAt(middle).focal_px;
  const double sigma = from.zooms() ? from.frames[static_cast<std::size_t>(middle)].sigma_focal_px : from.cameras.front().sigma[0];
  if (sigma > 0) prediction.focal_shift_sigmas = std::abs(prediction.focal_px - before->lensAt(middle).focal_px) / sigma;
  comparePath(from, state.work, prediction);
  prediction.slip_px = slipBetween(*before, state.work);
  return prediction;
}

Result<PruneRun> pruneWhileItHelps(const SolutionPtr& from, const TrackSet& tracks, const SolveOptions& options, const std::vector<int>& pinned,
                                   const Progress& progress, const std::function<void(const PruneRound&)>& on_round) {
  constexpr std::array kTimes = {3.0, 2.5, 2.0, 1.7};
  PruneRun run{.rounds = {}, .best = from, .options = options};
  for (std::size_t level = 0; level < kTimes.size() && !progress.stopRequested();) {
    const double share = static_cast<double>(level) / kTimes.size();
    const std::vector<TrackMeasures> measured = measureTracks(*run.best, tracks);
    PruneRound round{.rules = rulesFrom(*run.best, measured, kTimes[level])};
    round.choice = choosePruning(*run.best, tracks, measured, round.rules, pinned);
    if (round.choice.tracks.size() < 2) {
      ++level;
      continue;
    }
    const SolveOptions tried = without(run.options, round.choice);
    const auto solved = reviewedSolve(tracks, tried, progress.part(share, share + 1.0 / kTimes.size()), {}, run.best);
    if (progress.stopRequested()) break;
    if (!solved.ok()) {
      if (run.rounds.empty()) return solved.error();
      break;
    }
    round.solution = *solved;
    round.better = isBetter(*run.best, **solved, round.why);
    run.rounds.push_back(round);
    if (on_round) on_round(round);
    if (!round.better) break;
    run.best = *solved, run.options = tried;
  }
  return run;
}

}  // namespace dusky
