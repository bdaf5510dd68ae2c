#include "core/review/evidence.h"

#include <array>
#include <cmath>
#include <set>

#include "core/adjust/uncertainty.h"
#include "core/base/parallel.h"
#include "core/review/beyond_infinity.h"
#include "core/review/frame_figures.h"
#include "core/review/residual_patterns.h"
#include "core/review/scale_link.h"
#include "core/solve/arm.h"
#include "core/solve/flat_set.h"
#include "core/solve/locked_off.h"
#include "core/solve/noise_floor.h"
#include "core/solve/readout_search.h"
#include "core/solve/sort_out.h"
#include "core/solve/track_share.h"

namespace dusky {
namespace {

double explainedShare(const Solution& solution) {
  long all = 0, explained = 0;
  for (const SightingsOfSet& in_frame : sightingsOfSet(solution)) all += in_frame.all, explained += in_frame.used;
  return all > 0 ? static_cast<double>(explained) / static_cast<double>(all) : kUnknown;
}

/// Forces the focal length off, lets everything else follow, and looks how much the tracks mind.
class FocalProfile {
 public:
  FocalProfile(const SolveState& state, const SolveOptions& options, const Progress& progress) : state_(state), progress_(progress) {
    constexpr int kFrames = 60, kTracksInFrame = 80;
    const int all = measured(state_.work).used;
    // Under a rolling shutter a frame needs its neighbours.
    if (state_.work.readout == 0) state_.work = thinnedFrames(state_.work, kFrames);
    restTracks(state_.work, kTracksInFrame);
    tieZoom(state_);
    thinning_ = std::sqrt(static_cast<double>(measured(state_.work).used) / std::max(1, all));
    problem_ = withFocalHeld(finalOptions(state_, options));
    problem_.max_steps = 100;
  }

  void measure(double claimed, Evidence& evidence) const {
    const double variance = correlatedVariance(makeBundle(state_.work).bundle, problem_);
    constexpr double kLopsided = 3;
    if (measureAt(std::clamp(std::isnan(claimed) ? 0.0 : 4 * claimed / thinning_, 0.01, 0.15), variance, evidence) < kLopsided) return;
    // One side fell into another valley: what is nearer tells of this one.
    measureAt(std::clamp(2 * evidence.focal_sigma_share / thinning_, 0.003, 0.15), variance, evidence);
  }

 private:
  struct Forced {
    Reconstruction work;
    double cost = kUnknown;
  };

  /// Returns how many times farther an insert goes on one side than on the other.
  double measureAt(double off, double variance, Evidence& evidence) const {
    std::array<Forced, 3> forced;
    parallelFor(3, [&](int i) { forced[static_cast<std::size_t>(i)] = forcedBy(1 + (i - 1) * off); });
    // Of the parabola through the three: a share of the tracks has its own least cost a little beside.
    const double rise = ((forced[0].cost + forced[2].cost) / 2 - forced[1].cost) / variance;
    constexpr double kLeast = 0.05;  // of a squared standard deviation: no more can be told from nothing
    const auto [less, slip] = std::minmax({slipBetween(forced[1].work, forced[0].work), slipBetween(forced[1].work, forced[2].work)});
    evidence.focal_sigma_share = thinning_ * off / std::sqrt(std::max(rise, kLeast));
    evidence.focal_slip_px = slip / off * evidence.focal_sigma_share;
    return slip / less;
  }

  Forced forcedBy(double scale) const {
    Forced forced{state_.work};
    for (double& focal : forced.work.focal_px) focal *= scale;
    for (Lens& lens : forced.work.lenses) lens.focal_px *= scale;
    forced.cost = adjustReconstruction(forced.work, problem_, progress_.silent()).cost_after;
    return forced;
  }

  SolveState state_;
  BundleOptions problem_;
  const Progress& progress_;
  double thinning_ = 1;
};

/// A survey that a camera was found in its place by holds the focal length as it holds the camera.
bool focalIsKnown(const SolveOptions& options, const Solution& solution) { return !focalIsOpen(options, solution.lens().model); }

/// Half of a survey may be too little to hold a camera by that only rotates.
std::set<int> surveyed(const SolveState& state) {
  std::set<int> tracks;
  for (const InWorld& one : state.work.set.in_world) {
    if (state.nodal && !one.camera) tracks.insert(one.index);
  }
  return tracks;
}

/// Solves the shot again from where it stands with either half of its tracks, and looks how far the cameras go from there. Each half has twice the variance of
/// the whole and shares its half of the errors with it: the difference is what the whole may be off.
/// Source: half-sampling, McCarthy, Review of the International Statistical Institute 37(3), 1969.
double stabilityByHalves(SolveState state, const SolveOptions& options, const Progress& progress) {
  constexpr int kTracksInFrame = 160, kSteps = 12;
  const double all = measured(state.work).used;
  restTracks(state.work, kTracksInFrame);
  const double share = measured(state.work).used / std::max(1.0, all);
  BundleOptions problem = finalOptions(state, options);
  problem.max_steps = kSteps;
  std::array<double, 2> slips{};
  const std::set<int> held = surveyed(state);
  parallelFor(2, [&](int half) {
    Reconstruction work = state.work;
    int nth = 0;
    for (int t = 0; t < static_cast<int>(work.tracks.size()); ++t) {
      WorkTrack& track = work.tracks[static_cast<std::size_t>(t)];
      if (!held.contains(t) && track.takesPart() && nth++ % 2 == half) track.resting = true;
    }
    adjustReconstruction(work, problem, progress.silent());
    slips[static_cast<std::size_t>(half)] = slipBetween(state.work, work);
  });
  return std::sqrt((slips[0] * slips[0] + slips[1] * slips[1]) / 2 / (2 / share - 1));
}

/// How far an insert goes from here when the focal length may change from frame to frame and no path is held to a line or a plane: what a flat set lets them
/// make up for.
double slipWhenFreed(const SolveState& state, const SolveOptions& options, const Progress& progress) {
  SolveState freed = state;
  freed.path = CameraMotion::Free;
  freed.work.planes.clear();
  if (freed.work.focal_px.empty()) freeZoom(freed);
  tieZoom(freed);
  BundleOptions problem = finalOptions(freed, options);
  problem.max_steps = 200, problem.settled = 1e-8;
  adjustReconstruction(freed.work, problem, progress.silent());
  return slipBetween(state.work, freed.work);
}

}  // namespace

Evidence gatherEvidence(const TrackSet& tracks, const SolveOptions& options, const Solution& solution, const SolveState& state, const Progress& progress) {
  Evidence evidence = solution.evidence;
  const bool rolls = solution.readout != 0;
  const TrackSet still = rolls ? withoutRolling(tracks, solution.readout) : TrackSet{};
  if (std::isnan(evidence.noise_floor_px) || rolls) evidence.noise_floor_px = noiseFloor(rolls ? still : tracks);
  evidence.noise_over_time_px = noiseOverTime(rolls ? still : tracks);
  evidence.explained_share = explainedShare(solution);
  if (!focalIsKnown(options, solution) && !evidence.focal_assumed) {
    const SolvedFrame& middle = solution.frames[solution.frames.size() / 2];
    const double claimed = solution.zooms() ? middle.sigma_focal_px / middle.focal_px : solution.cameras.front().sigma[0] / solution.lens().focal_px;
    FocalProfile(state, options, progress).measure(claimed, evidence);
  }
  evidence.patterns = residualPatterns(state, options, std::fmax(evidence.noise_floor_px, evidence.noise_over_time_px));
  evidence.stability_px = stabilityByHalves(state, options, progress);
  if (solution.motion == MotionKind::Nodal) return evidence;  // it sees no depth
  const double sigma_px = errorSpread(state.work);
  evidence.beyond_infinity_share = shareBeyondInfinity(state.work, sigma_px);
  if (!focalIsKnown(options, solution)) evidence.flatness = flatness(state.work), evidence.path_share = pathOverDistance(state.work);
  if (evidence.flatness < kFlatSet) evidence.freed_slip_px = slipWhenFreed(state, options, progress);
  if (solution.motion == MotionKind::Arc) return evidence;  // its pivot holds it together
  const ScaleLink link = weakestScaleLink(state.work, sigma_px);
  evidence.scale_sigma_share = link.sigma_share, evidence.scale_frame = state.work.frame_numbers[static_cast<std::size_t>(link.frame)];
  return evidence;
}

}  // namespace dusky
