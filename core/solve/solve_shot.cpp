#include "core/solve/solve_shot.h"

#include <fmt/format.h>

#include <cmath>
#include <map>

#include "core/base/numbers.h"
#include "core/base/parallel.h"
#include "core/geometry/resection.h"
#include "core/geometry/triangulation.h"
#include "core/solve/describe.h"
#include "core/solve/judge.h"
#include "core/solve/skeleton.h"
#include "core/solve/staircase.h"
#include "core/solve/uncertainty.h"

namespace dusky {
namespace {

constexpr double kRoughPx = 4.0;

/// Median over tracks of how far they get from where they began.
double medianTravel(const TrackSet& tracks) {
  std::vector<double> travels;
  for (const Track& track : tracks.tracks) {
    double farthest = 0;
    for (const Observation& o : track.observations) farthest = std::max(farthest, (o.position - track.observations.front().position).norm());
    travels.push_back(farthest);
  }
  return travels.empty() ? 0.0 : median(std::move(travels));
}

Status refuseHopeless(const TrackSet& tracks) {
  if (tracks.frames() < 3) return cannotSolve(fmt::format("The range has {} frames; a camera needs at least 3.", tracks.frames()));
  if (tracks.tracks.size() < 16) {
    return cannotSolve(
        fmt::format("Too few tracks: {}, and a camera needs at least 16. Lower the corner strength, ask for more features, or "
                    "choose footage with more texture.",
                    tracks.tracks.size()));
  }
  const double travel = medianTravel(tracks);
  if (travel < 0.0012 * tracks.width) {
    return cannotSolve(fmt::format("The camera does not move: half of the tracks stay within {:.1f} px. There is no path to find.", travel));
  }
  return Done{};
}

class Solver {
 public:
  Solver(const TrackSet& tracks, const SolveOptions& options, const Progress& progress, const std::function<void(SolutionPtr)>& on_partial)
      : tracks_(tracks),
        options_(options),
        progress_(progress),
        on_partial_(on_partial),
        work_(makeReconstruction(tracks, options.set_aside, options.holdout_share, static_cast<std::uint64_t>(options.seed))) {}

  Result<SolutionPtr> run() {
    if (const Status found = findSkeleton(); !found.ok()) return found.error();
    tell();
    placeAllFrames();
    if (progress_.stopRequested()) return cancelled();
    tell();
    LensFreedom freedom{};
    freedom[0] = options_.focal != FocalKnowledge::Locked;
    freedom[3] = options_.lens_distortion;
    settle(freedom, 2, progress_.part(0.35, 0.55));
    tell();
    if (progress_.stopRequested()) return cancelled();
    freedom = climb(progress_.part(0.55, 0.8));
    if (progress_.stopRequested()) return cancelled();
    settle(freedom, options_.max_rounds, progress_.part(0.8, 0.97));
    if (progress_.stopRequested()) return cancelled();
    result_.summary.termination = Termination::Settled;
    const Status whole = finish(freedom);
    if (!whole.ok()) return whole.error();
    return SolutionPtr(std::make_shared<Solution>(std::move(result_)));
  }

 private:
  std::vector<double> trialFocals() const {
    if (options_.focal != FocalKnowledge::Unknown) return {options_.focal_px};
    std::vector<double> trials;
    for (double share : {0.65, 0.9, 1.25, 1.8, 2.7}) trials.push_back(share * tracks_.width);
    return trials;
  }

  Status findSkeleton() {
    const std::vector<int> keyframes = chooseKeyframes(tracks_);
    const std::vector<double> trials = trialFocals();
    LensFreedom freedom{};
    freedom[0] = options_.focal != FocalKnowledge::Locked;
    freedom[3] = options_.lens_distortion;
    std::vector<std::optional<Skeleton>> grown(trials.size());
    std::vector<double> turning(trials.size(), kUnknown);
    progress_.report(0.02, fmt::format("solving {} keyframes", keyframes.size()));
    parallelFor(static_cast<int>(2 * trials.size()), [&](int i) {
      const Lens lens = Lens::simple(tracks_.width, tracks_.height, trials[i / 2]);
      const auto seed = static_cast<std::uint64_t>(options_.seed);
      if (i % 2 == 0)
        grown[i / 2] = growSkeleton(work_, keyframes, lens, freedom, seed, silent());
      else
        turning[i / 2] = turningOnlyError(work_, keyframes, lens, freedom, seed, silent());
    });
    if (progress_.stopRequested()) return cancelled();
    return chooseSkeleton(grown, turning, static_cast<int>(keyframes.size()));
  }

  /// Parallel parts must not report at the same time; stopping is asked after them.
  static Progress silent() { return {}; }

  Status chooseSkeleton(std::vector<std::optional<Skeleton>>& grown, const std::vector<double>& turning, int keyframes) {
    Skeleton* best = nullptr;
    for (auto& skeleton : grown) {
      if (!skeleton || skeleton->placed_tracks < 12) continue;
      const auto cost = [&](const Skeleton& s) { return (s.median_error_px + 0.05) * keyframes / std::max(1, s.placed_keyframes); };
      if (!best || cost(*skeleton) < cost(*best)) best = &*skeleton;
    }
    double turning_error = std::numeric_limits<double>::infinity();
    for (double error : turning) turning_error = std::isnan(error) ? turning_error : std::min(turning_error, error);
    const double free_error = best ? best->median_error_px : std::numeric_limits<double>::infinity();
    if (turning_error < 0.6 || turning_error < 1.3 * free_error + 0.05) {
      if (turning_error < 3.0) {
        return cannotSolve(
            fmt::format("No parallax: the camera turned on the spot (a camera that only turns explains the tracks to {:.2f} px), "
                        "so depths cannot be known. Shoot with the camera moving sideways or forward.",
                        turning_error));
      }
    }
    if (!best) {
      return cannotSolve("Too few tracks agree on a camera: no pair of frames shares enough of them with parallax. Track more features, or a shorter range.");
    }
    if (best->median_error_px > kRoughPx) {
      return cannotSolve(fmt::format("The tracks do not fit one still set: half of the errors are above {:.1f} px. Leave out what moves, or shorten the range.",
                                     best->median_error_px));
    }
    work_ = std::move(best->work);
    return Done{};
  }

  void placeAllFrames() {
    for (int round = 0; round < 3; ++round) {
      progress_.report(0.2 + 0.05 * round, "placing the frames between the keyframes");
      const int before = work_.placedCameras();
      resectMissingFrames();
      placeTracks(work_, round == 0);
      sortOut(work_, {.tolerance_px = 2 * kRoughPx, .min_frames = 2, .min_share = 0.4});
      if (work_.placedCameras() == before || work_.placedCameras() == static_cast<int>(work_.cameras.size())) break;
    }
  }

  void resectMissingFrames() {
    std::vector<std::vector<Vec3>> points(work_.cameras.size());
    std::vector<std::vector<Vec2>> seen(work_.cameras.size());
    for (const WorkTrack& track : work_.tracks) {
      if (!track.takesPart()) continue;
      for (const WorkObservation& o : track.observations) {
        const auto n = work_.cameras[o.camera] ? std::nullopt : work_.lens.undistort(o.seen);
        if (!n) continue;
        points[o.camera].push_back(*track.point);
        seen[o.camera].push_back(*n);
      }
    }
    parallelFor(static_cast<int>(work_.cameras.size()), [&](int f) {
      if (work_.cameras[f] || points[f].size() < 6) return;
      const auto found = resect(points[f], seen[f], 1.5 * kRoughPx / work_.lens.focal_px, static_cast<std::uint64_t>(options_.seed) + f);
      if (found && found->inliers.size() >= std::max<std::size_t>(6, points[f].size() / 3)) work_.cameras[f] = found->pose;
    });
  }

  /// Adjusts and sorts out until the same observations stay.
  void settle(const LensFreedom& freedom, int rounds, const Progress& progress) {
    for (int round = 0; round < rounds && !progress.stopRequested(); ++round) {
      const Progress part = progress.part(static_cast<double>(round) / rounds, (round + 1.0) / rounds);
      spread_px_ = errorSpread(work_);
      loss_px_ = std::clamp(2.5 * spread_px_, 0.2, 2.0);
      adjustReconstruction(work_, {.free_lens = freedom, .prior = prior(), .loss_px = loss_px_, .max_steps = 15, .settled = 3e-5}, part);
      ++result_.summary.rounds;
      const int used_before = countUsed();
      placeTracks(work_, false);
      const double sigma = errorSpread(work_);
      result_.summary.tolerance_px = std::clamp(4.0 * sigma, 0.35, kRoughPx);
      sortOut(work_, {.tolerance_px = result_.summary.tolerance_px});
      tell();
      if (std::abs(countUsed() - used_before) <= countUsed() / 500) break;
    }
  }

  /// What lenses are usually like, against the errors seen. Errors along one track go together, so an observation counts
  /// for a part of one only.
  LensPrior prior() const {
    constexpr double kTogether = 10;
    const double spread = std::isnan(spread_px_) ? 0.3 : spread_px_;
    const auto weight = [&](double sigma) { return kTogether * spread * spread / (sigma * sigma); };
    const double w = tracks_.width;
    LensPrior prior;
    prior.mean = Lens::simple(tracks_.width, tracks_.height, 0).parameters();
    prior.weight = {0, weight(0.008 * w), weight(0.008 * w), 0, weight(0.3), 0, weight(0.002), weight(0.002)};
    if (options_.focal == FocalKnowledge::Near) prior.mean[0] = options_.focal_px, prior.weight[0] = weight(0.03 * options_.focal_px);
    return prior;
  }

  int countUsed() const {
    int used = 0;
    for (const WorkTrack& track : work_.tracks) {
      if (!track.takesPart()) continue;
      for (const WorkObservation& o : track.observations) used += o.used;
    }
    return used;
  }

  LensFreedom climb(const Progress& progress) {
    StaircaseOptions options;
    options.free_focal = options_.focal != FocalKnowledge::Locked;
    options.free_radial = options_.lens_distortion;
    options.loss_px = loss_px_;
    options.prior = prior();
    // The staircase begins without distortion, so that each parameter is judged by what it gains.
    work_.lens.k1 = work_.lens.k2 = 0;
    return climbStaircase(work_, options, result_.staircase, progress);
  }

  Status finish(const LensFreedom& freedom) {
    progress_.report(0.97, "judging");
    adjustReconstruction(work_, {.free_lens = freedom, .prior = prior(), .loss_px = loss_px_, .max_steps = 20, .settled = 1e-7}, progress_.part(0.97, 0.98));
    const Judgement judgement = judge(work_);
    result_.rms_px = judgement.rms_px;
    result_.holdout_rms_px = judgement.holdout_rms_px;
    result_.summary.observations = judgement.used;
    result_.summary.holdout_kept = judgement.holdout_kept;
    result_.lens = work_.lens;
    result_.lens.model = options_.lens_distortion ? LensModel::Brown : LensModel::None;
    describe(work_, tracks_, result_);
    if (result_.placedFrames() < 2 || result_.keptTracks() < 8) {
      return cannotSolve(fmt::format("Too few tracks agree on a camera: {} left. Track more features, or leave out what moves.", result_.keptTracks()));
    }
    if (const Status fits = refuseLooseFit(); !fits.ok()) return fits;
    fillUncertainty(freedom);
    warn();
    return Done{};
  }

  /// Errors that fill the whole tolerance, on what is left of the tracks, are no fit at all.
  Status refuseLooseFit() const {
    constexpr double kLoosePx = 1.5, kFewShare = 0.6;
    const double share =
        static_cast<double>(result_.keptTracks()) / std::max<double>(1.0, static_cast<double>(result_.tracks.size()) - result_.summary.holdout_tracks);
    if (!(result_.rms_px > kLoosePx) || share > kFewShare) return Done{};
    return cannotSolve(
        fmt::format("The tracks do not fit one still set: {:.0f} % of them agree, and only to {:.1f} px. Leave out what moves, shorten the range, or give the "
                    "focal length.",
                    100 * share, result_.rms_px));
  }

  void fillUncertainty(const LensFreedom& freedom) {
    const MappedBundle mapped = makeBundle(work_);
    const CameraUncertainty sigma = cameraUncertainty(mapped.bundle, {.free_lens = freedom, .prior = prior(), .loss_px = loss_px_});
    result_.lens_sigma = sigma.lens;
    for (std::size_t c = 0; c < mapped.camera_frame.size(); ++c) {
      SolvedFrame& frame = result_.frames[mapped.camera_frame[c]];
      frame.sigma_centre = sigma.centre[c];
      frame.sigma_rotation_rad = sigma.rotation_rad[c];
    }
  }

  void warn() {
    auto& warnings = result_.summary.warnings;
    int missing = 0, thin = 0, first_thin = 0;
    for (const SolvedFrame& frame : result_.frames) {
      missing += !frame.placed;
      if (frame.placed && frame.tracks < 20 && thin++ == 0) first_thin = frame.frame;
    }
    if (missing > 0) warnings.push_back(fmt::format("{} of {} frames have no camera: too few tracks there.", missing, result_.frames.size()));
    if (thin > 0) warnings.push_back(fmt::format("{} frames have fewer than 20 tracks, the first is {}.", thin, first_thin));
    std::vector<double> parallax;
    for (const SolvedTrack& track : result_.tracks) {
      if (track.state == TrackState::Kept && !std::isnan(track.parallax_rad)) parallax.push_back(track.parallax_rad);
    }
    constexpr double kThinParallaxRad = 0.0175;
    if (median(std::move(parallax)) < kThinParallaxRad)  // false when there is none
      warnings.push_back("Half of the points have less than 1° of parallax: depth is weak.");
    const Lens& lens = result_.lens;
    const double off_centre = Vec2(lens.cx_px - 0.5 * lens.width, lens.cy_px - 0.5 * lens.height).norm() / lens.width;
    if (off_centre > 0.04 || !lens.risingUpTo(0.5 * std::hypot(lens.width, lens.height) / lens.focal_px)) {
      warnings.push_back(
          "The lens came out unlikely (its axis far off the picture's middle, or distortion that folds over): the focal length may change during the shot.");
    }
    if (result_.holdout_rms_px > 1.3 * result_.rms_px)
      warnings.push_back("The holdout error is well above the RMS: the solve fits its own tracks better than the set.");
  }

  void tell() {
    if (!on_partial_) return;
    auto partial = std::make_shared<Solution>();
    partial->lens = work_.lens;
    describe(work_, tracks_, *partial);
    partial->rms_px = errorSpread(work_) * std::sqrt(2.0);
    on_partial_(std::move(partial));
  }

  const TrackSet& tracks_;
  const SolveOptions& options_;
  const Progress& progress_;
  const std::function<void(SolutionPtr)>& on_partial_;
  Reconstruction work_;
  Solution result_;
  double loss_px_ = 1.0, spread_px_ = kUnknown;
};

}  // namespace

Status SolveOptions::check() const {
  if (focal != FocalKnowledge::Unknown && !(focal_px > 0)) return invalidInput(fmt::format("The focal length must be over 0 px, not {}.", focal_px));
  if (!(holdout_share >= 0 && holdout_share <= 0.5)) return invalidInput(fmt::format("The holdout share must be 0 to 0.5, not {}.", holdout_share));
  if (max_rounds < 1 || max_rounds > 50) return invalidInput(fmt::format("Rounds must be 1 to 50, not {}.", max_rounds));
  return Done{};
}

Result<SolutionPtr> solveShot(const TrackSet& tracks, const SolveOptions& options, const Progress& progress,
                              const std::function<void(SolutionPtr)>& on_partial) {
  const Stopwatch watch;
  if (const Status fine = options.check(); !fine.ok()) return fine.error();
  if (const Status hope = refuseHopeless(tracks); !hope.ok()) return hope.error();
  auto solved = Solver(tracks, options, progress, on_partial).run();
  if (!solved.ok()) return solved;
  auto timed = std::make_shared<Solution>(**solved);
  timed->summary.total_s = watch.seconds();
  return SolutionPtr(std::move(timed));
}

}  // namespace dusky
