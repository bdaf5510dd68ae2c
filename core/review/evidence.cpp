#include "core/review/evidence.h"

#include <cmath>

#include "core/adjust/uncertainty.h"
#include "core/base/parallel.h"
#include "core/solve/noise_floor.h"
#include "core/solve/sort_out.h"
#include "core/solve/track_share.h"
#include "core/solve/warm_start.h"

namespace dusky {
namespace {

double explainedShare(const Solution& solution) {
  constexpr int kLongEnough = 5;  // frames: shorter tracks say little either way
  long all = 0, explained = 0;
  for (const SolvedTrack& track : solution.tracks) {
    if (track.reason == AsideReason::ByArtist || track.life < kLongEnough) continue;
    for (const TrackError& e : track.errors) {
      ++all;
      explained += e.used && track.state == TrackState::Kept;
    }
  }
  return all > 0 ? static_cast<double>(explained) / static_cast<double>(all) : kUnknown;
}

/// Forces the focal length off, lets everything else follow, and looks how much the tracks mind.
class FocalProfile {
 public:
  FocalProfile(const TrackSet& tracks, const SolveOptions& options, const Solution& solution, const Progress& progress)
      : state_(finalState(solution, tracks, options)), progress_(progress) {
    constexpr int kFrames = 60, kTracksInFrame = 80;
    const int all = measured(state_.work).used;
    // Under a rolling shutter a frame needs its neighbours.
    if (state_.work.readout == 0) state_.work = thinnedFrames(state_.work, kFrames);
    restTracks(state_.work, kTracksInFrame);
    thinning_ = std::sqrt(static_cast<double>(measured(state_.work).used) / std::max(1, all));
    problem_ = finalOptions(state_, options);
    problem_.max_steps = 100, problem_.free_focal = false;
    for (LensTerms& terms : problem_.lens_terms) terms.free[0] = false;
  }

  double sigmaShare(double claimed) const {
    const double off = std::clamp(std::isnan(claimed) ? 0.0 : 4 * claimed, 0.01, 0.15);
    const double variance = correlatedVariance(makeBundle(state_.work).bundle, problem_);
    double costs[3];
    parallelFor(3, [&](int i) { costs[i] = costAt(1 + (i - 1) * off); });
    const double rise = (std::min(costs[0], costs[2]) - costs[1]) / variance;
    constexpr double kLeast = 0.05;  // of a squared standard deviation: no more can be told from nothing
    return thinning_ * off / std::sqrt(std::max(rise, kLeast));
  }

 private:
  double costAt(double scale) const {
    Reconstruction work = state_.work;
    for (double& focal : work.focal_px) focal *= scale;
    for (Lens& lens : work.lenses) lens.focal_px *= scale;
    return adjustReconstruction(work, problem_, progress_.silent()).cost_after;
  }

  SolveState state_;
  BundleOptions problem_;
  const Progress& progress_;
  double thinning_ = 1;
};

bool focalIsKnown(const SolveOptions& options, const Solution& solution) {
  return options.known_lens || options.focal == FocalKnowledge::Locked || options.focal == FocalKnowledge::Near ||
         knownValueOf(options, solution.lens().model, 0) != nullptr;
}

}  // namespace

Evidence gatherEvidence(const TrackSet& tracks, const SolveOptions& options, const Solution& solution, const Progress& progress) {
  Evidence evidence = solution.evidence;
  if (std::isnan(evidence.noise_floor_px)) evidence.noise_floor_px = noiseFloor(tracks);
  evidence.explained_share = explainedShare(solution);
  if (!focalIsKnown(options, solution)) {
    const double claimed = solution.cameras.front().sigma[0] / solution.lens().focal_px;
    evidence.focal_sigma_share = FocalProfile(tracks, options, solution, progress).sigmaShare(claimed);
  }
  return evidence;
}

}  // namespace dusky
