#include "core/solve/solve_shot.h"

#include <fmt/format.h>

#include <cmath>

#include "core/base/numbers.h"
#include "core/solve/carry_on.h"
#include "core/solve/describe.h"
#include "core/solve/extend.h"
#include "core/solve/judge.h"
#include "core/solve/path_shape.h"
#include "core/solve/staircase.h"
#include "core/solve/start.h"
#include "core/solve/turning.h"
#include "core/solve/uncertainty.h"
#include "core/solve/warnings.h"

namespace dusky {
namespace {

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
        motion_(options.motion),
        work_(makeReconstruction(tracks, options.set_aside, options.holdout_share, static_cast<std::uint64_t>(options.seed))) {
    work_.lens_of = options.camera_of;
  }

  Result<SolutionPtr> run(const SolutionPtr& from) {
    if (from) {
      carryOnFrom(*from);
    } else {
      auto start = findStart(work_, tracks_, options_, progress_);
      if (!start.ok()) return start.error();
      work_ = std::move(start->work), nodal_ = start->nodal, result_.motion_why = std::move(start->why);
      freedom_ = firstFreedom(options_, work_.lens().model);
    }
    if (options_.readout != 0 || options_.free_readout) work_.readout = options_.readout;
    tell();
    placeAllFrames(progress_.part(0.2, 0.35));
    if (progress_.stopRequested()) return cancelled();
    tell();
    if (!from) findLens();
    if (progress_.stopRequested()) return cancelled();
    tell();
    settle(options_.max_rounds, progress_.part(0.7, 0.93));
    if (progress_.stopRequested()) return cancelled();
    result_.summary.termination = Termination::Settled;
    if (const Status whole = finish(progress_.part(0.93, 0.96)); !whole.ok()) return whole.error();
    findPlainerPath();
    if (progress_.stopRequested()) return cancelled();
    nameStretches(held_, result_);
    addWarnings(tracks_, options_, result_);
    return SolutionPtr(std::make_shared<Solution>(std::move(result_)));
  }

 private:
  void carryOnFrom(const Solution& from) {
    freedom_ = withoutKnown(options_, from.lens().model, takeFrom(from, work_));
    freedom_[0] = firstFreedom(options_, from.lens().model)[0];
    if (options_.known_lens) freedom_ = LensFreedom{};
    for (Lens& lens : work_.lenses) {
      if (options_.known_lens) lens = *options_.known_lens;
      if (options_.focal == FocalKnowledge::Locked) lens.focal_px = options_.focal_px;
      putKnownValues(options_, lens);
    }
    nodal_ = from.motion == "nodal";
    result_.staircase = from.staircase;
    // What is said of the path is found anew.
    result_.motion_why = from.motion_why.substr(0, from.motion_why.find(kItsPath));
  }

  /// The lens is the same in all frames: a part of them tells it as well and many times sooner. The others are placed anew under it.
  void findLens() {
    const Reconstruction all = work_;
    work_ = thinnedFrames(work_, std::max(kFramesForLens, static_cast<int>(work_.cameras.size()) / 5));
    settle(2, progress_.part(0.35, 0.5));
    if (!progress_.stopRequested()) climb(progress_.part(0.5, 0.68));
    if (progress_.stopRequested() || work_.placedCameras() == all.placedCameras()) return;
    std::erase_if(work_.ties, [](const CameraTie& tie) { return tie.centre > 0; });
    Reconstruction before = all;
    for (const int f : held_) work_.cameras[f].reset(), before.cameras[f].reset();
    held_.clear();
    placeAsBefore(work_, before, nodal_);
    placeTracks(work_, false, farLimit());
    placeAllFrames(progress_.part(0.68, 0.7));
    for (std::size_t f = 0; f < all.cameras.size(); ++f) {
      if (!work_.cameras[f]) work_.cameras[f] = all.cameras[f];
    }
  }

  void placeAllFrames(const Progress& progress) {
    tieZoom();
    const auto seed = static_cast<std::uint64_t>(options_.seed);
    BundleOptions adjusting = bundleOptions();
    adjusting.loss_px = 2;
    for (bool first = true, more = true; more && !progress.stopRequested(); first = false) {
      const int before = work_.placedCameras();
      if (nodal_) {
        progress.report(0, "turning the frames between the keyframes");
        placeTurns(work_, seed);
      } else if (extendToMissing(work_, adjusting, seed, progress) == 0) {
        hold(holdAndTurn(work_, seed));
      }
      placeTracks(work_, first, farLimit());
      sortOut(work_, kRoughLimits);
      more = work_.placedCameras() > before && work_.placedCameras() < static_cast<int>(work_.cameras.size());
    }
  }

  /// Frames that only turn stand where their neighbours do.
  void hold(const std::vector<int>& frames) {
    for (const int f : frames) {
      for (const int other : {f - 1, f + 1}) {
        if (other >= 0 && other < static_cast<int>(work_.cameras.size())) work_.ties.push_back({.a = f, .b = other, .centre = kHeld});
      }
    }
    held_.insert(held_.end(), frames.begin(), frames.end());
    std::sort(held_.begin(), held_.end());
  }

  /// Neighbouring frames of a zoom have nearly one focal length, most often exactly one.
  void tieZoom() {
    if (work_.focal_px.empty()) return;
    std::erase_if(work_.ties, [](const CameraTie& tie) { return tie.focal > 0; });
    const double spread = std::isnan(spread_px_) ? 0.5 : std::max(0.02, spread_px_);
    constexpr double kUsualChange = 0.0015;
    for (int f = 1; f < static_cast<int>(work_.cameras.size()); ++f) {
      const double frames = work_.frame_numbers[f] - work_.frame_numbers[f - 1];
      work_.ties.push_back({.a = f - 1, .b = f, .focal = std::pow(spread / (kUsualChange * frames), 2), .focal_leap = 1.5 * kUsualChange * frames});
    }
  }

  BundleOptions bundleOptions() const {
    return {.free_lens = freedom_,
            .prior = prior(),
            .fixed_centres = nodal_,
            .free_focal = !work_.focal_px.empty(),
            .free_readout = options_.free_readout && settled_once_};
  }

  BundleOptions robustOptions() const {
    BundleOptions options = bundleOptions();
    options.loss_px = std::clamp(2.5 * spread_px_, 0.2, 2.0);
    return options;
  }

  /// Adjusts and sorts out until the same observations stay.
  void settle(int rounds, const Progress& progress) {
    for (int round = 0; round < rounds && !progress.stopRequested(); ++round) {
      const Progress part = progress.part(static_cast<double>(round) / rounds, (round + 1.0) / rounds);
      spread_px_ = errorSpread(work_);
      tieZoom();
      shapePath(work_, motion_, spread_px_);
      BundleOptions options = robustOptions();
      // The first round only shows what to leave out.
      options.max_steps = round == 0 ? 6 : 12, options.settled = 1e-4;
      adjustReconstruction(work_, options, part);
      if (progress_.stopRequested()) return;
      ++result_.summary.rounds;
      const int used_before = countUsed();
      sortOutNow();
      tell();
      if (std::abs(countUsed() - used_before) <= countUsed() / 200) break;
    }
    settled_once_ = true;
  }

  void sortOutNow() {
    placeTracks(work_, false, farLimit());
    result_.summary.tolerance_px = std::clamp(4.0 * errorSpread(work_), 0.1, kRoughPx);
    sortOut(work_, {.tolerance_px = result_.summary.tolerance_px});
  }

  /// Parallax under which a depth would be noise.
  double farLimit() const {
    const double spread = std::isnan(spread_px_) ? 0.3 : std::max(0.05, spread_px_);
    return 2 * spread / work_.lens().focal_px;
  }

  /// What lenses are usually like, against the errors seen. Errors along one track go together, so an observation counts
  /// for a part of one only.
  LensPrior prior() const {
    const double spread = std::isnan(spread_px_) ? 0.3 : spread_px_;
    const auto weight = [&](double sigma) { return kTogether * spread * spread / (sigma * sigma); };
    const double w = tracks_.width;
    LensPrior prior;
    prior.mean = Lens::simple(tracks_.width, tracks_.height, 0, work_.lens().model).parameters();
    prior.weight[1] = prior.weight[2] = weight(0.008 * w);
    switch (work_.lens().model) {
      case LensModel::None: break;
      case LensModel::Brown:
        prior.weight[4] = weight(0.3), prior.weight[5] = weight(0.3);
        prior.weight[6] = prior.weight[7] = weight(0.002);
        break;
      case LensModel::Fisheye:
        for (int k = 3; k < 7; ++k) prior.weight[k] = weight(0.1);
        break;
      case LensModel::Anamorphic:
        prior.mean[3] = squeeze_, prior.weight[3] = weight(0.03 * squeeze_), prior.weight[4] = weight(0.01);
        for (int k = 5; k < kMostLensParameters; ++k) prior.weight[k] = weight(k % 5 < 2 ? 0.2 : 0.3);
        break;
    }
    for (int k = 0; k < kMostLensParameters; ++k) {
      const KnownValue* known = knownValueOf(options_, work_.lens().model, k);
      if (known && known->sigma > 0) prior.mean[k] = known->value, prior.weight[k] = weight(known->sigma);
    }
    if (options_.focal == FocalKnowledge::Near) prior.mean[0] = options_.focal_px, prior.weight[0] = weight(options_.focal_tolerance * options_.focal_px);
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

  void climb(const Progress& progress) {
    StaircaseOptions options{.base = robustOptions(), .releases = options_.releases, .climbs = options_.lens != LensChoice::None && !options_.known_lens};
    const Reconstruction settled = work_;
    options.reached = &settled, options.reached_with = freedom_;
    // The staircase begins without distortion, so that each parameter is judged by what it gains.
    if (!options_.known_lens) {
      for (Lens& lens : work_.lenses) {
        if (lens.model == LensModel::Anamorphic) squeeze_ = std::round(20 * lens.squeeze()) / 20;
        lens.coefficients.fill(0);
        if (lens.model == LensModel::Anamorphic) lens.squeeze() = squeeze_;
        putKnownValues(options_, lens);
      }
    }
    options.base.free_lens = LensFreedom{};
    options.base.free_lens[0] = freedom_[0];
    LensFreedom all;
    all.fill(true);
    const LensFreedom unknown = withoutKnown(options_, work_.lens().model, all);
    for (int k = 0; k < kMostLensParameters; ++k) options.known[k] = !unknown[k];
    options.base.prior = prior();
    freedom_ = climbStaircase(work_, options, result_.staircase, progress);
  }

  Status finish(const Progress& progress) {
    progress.report(0, "judging");
    // Plain least squares over what stays; what it shows to be wrong goes, once.
    for (int round = 0; round < 2; ++round) {
      BundleOptions options = finalOptions();
      if (round == 0) options.max_steps = 8, options.settled = 1e-4;
      adjustReconstruction(work_, options, progress);
      if (progress_.stopRequested()) return cancelled();
      if (round == 0) sortOutNow();
    }
    const Judgement judgement = judge(work_);
    result_.rms_px = judgement.rms_px;
    result_.holdout_rms_px = judgement.holdout_rms_px;
    result_.summary.observations = judgement.used;
    result_.summary.holdout_kept = judgement.holdout_kept;
    describe(work_, tracks_, result_);
    result_.motion = nodal_ ? "nodal" : motion_ == CameraMotion::Rail ? "rail" : motion_ == CameraMotion::Flat ? "flat" : "free";
    if (result_.placedFrames() < 2 || result_.keptTracks() < 8) {
      return cannotSolve(fmt::format("Too few tracks agree on a camera: {} left. Track more features, or leave out what moves.", result_.keptTracks()));
    }
    if (const Status fits = refuseLooseFit(); !fits.ok()) return fits;
    if (progress_.stopRequested()) return cancelled();
    fillUncertainty();
    return Done{};
  }

  /// A path that is a line or a plane as well as it is known is held to it, where the holdout tracks do not object.
  void findPlainerPath() {
    if (options_.motion != CameraMotion::Auto || nodal_ || !held_.empty()) return;
    const PathShape shape = pathShape(result_);
    const CameraMotion plainer = plainerMotion(shape);
    if (plainer == CameraMotion::Free) return;
    const Reconstruction free_work = work_;
    const Solution free_result = result_;
    motion_ = plainer;
    settle(1, progress_.part(0.96, 0.98));
    const bool fine = !progress_.stopRequested() && finish(progress_.part(0.98, 1)).ok();
    constexpr double kChance = 2e-3;
    if (!fine || result_.holdout_rms_px > (1 + kChance) * free_result.holdout_rms_px || result_.placedFrames() < free_result.placedFrames()) {
      motion_ = CameraMotion::Auto;
      work_ = free_work, result_ = free_result;
      return;
    }
    const bool rail = plainer == CameraMotion::Rail;
    result_.motion_why += fmt::format("{} {} as far as it is known ({:.1f} standard deviations off), and is held to {}.", kItsPath, rail ? "straight" : "flat",
                                      rail ? shape.off_line : shape.off_plane, rail ? "a line" : "a plane");
  }

  BundleOptions finalOptions() const {
    BundleOptions options = bundleOptions();
    options.loss = Loss::Squared;
    options.max_steps = 15, options.damping = 1e-6, options.settled = 1e-6;
    return options;
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

  void fillUncertainty() {
    const MappedBundle mapped = makeBundle(work_);
    const CameraUncertainty sigma = cameraUncertainty(mapped.bundle, finalOptions(), progress_);
    for (std::size_t l = 0; l < result_.cameras.size(); ++l)
      result_.cameras[l].sigma = sigma.lens[l], result_.cameras[l].lens_sigma_px = sigma.lens_px[l], result_.cameras[l].curve = sigma.lens_curve[l];
    for (std::size_t c = 0; c < mapped.camera_frame.size(); ++c) {
      SolvedFrame& frame = result_.frames[mapped.camera_frame[c]];
      frame.sigma_centre = sigma.centre[c];
      frame.sigma_rotation_rad = sigma.rotation_rad[c];
      if (!sigma.focal_px.empty()) frame.sigma_focal_px = sigma.focal_px[c];
    }
    for (std::size_t p = 0; p < mapped.point_track.size(); ++p) result_.tracks[mapped.point_track[p]].sigma_point = sigma.points[p];
    result_.sigma_readout = sigma.readout;
  }

  void tell() {
    if (!on_partial_) return;
    auto partial = std::make_shared<Solution>();
    describe(work_, tracks_, *partial);
    partial->rms_px = errorSpread(work_) * std::sqrt(2.0);
    on_partial_(std::move(partial));
  }

  static constexpr std::string_view kItsPath = " Its path is";
  static constexpr int kFramesForLens = 40;
  static constexpr double kHeld = 1e4;  ///< Of a tie that holds a turning camera in its place, px^2 per unit^2.
  const TrackSet& tracks_;
  const SolveOptions& options_;
  const Progress& progress_;
  const std::function<void(SolutionPtr)>& on_partial_;
  CameraMotion motion_;  ///< As asked, or as found plainer.
  Reconstruction work_;
  Solution result_;
  LensFreedom freedom_{};
  std::vector<int> held_;  ///< Frames placed by holdAndTurn.
  bool nodal_ = false, settled_once_ = false;
  double spread_px_ = kUnknown, squeeze_ = 2;
};
}  // namespace

Result<SolutionPtr> solveShot(const TrackSet& tracks, const SolveOptions& options, const Progress& progress, const std::function<void(SolutionPtr)>& on_partial,
                              const SolutionPtr& from) {
  const Stopwatch watch;
  if (const Status fine = options.check(); !fine.ok()) return fine.error();
  if (!options.camera_of.empty() && static_cast<int>(options.camera_of.size()) != tracks.frames())
    return invalidInput(fmt::format("Cameras are given for {} frames, and there are {}.", options.camera_of.size(), tracks.frames()));
  if (const Status hope = refuseHopeless(tracks); !hope.ok()) return hope.error();
  auto solved = Solver(tracks, options, progress, on_partial).run(from && canCarryOn(options, *from) ? from : nullptr);
  if (!solved.ok()) return solved;
  auto timed = std::make_shared<Solution>(**solved);
  timed->summary.total_s = watch.seconds();
  return SolutionPtr(std::move(timed));
}
}  // namespace dusky
