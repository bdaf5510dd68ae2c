#include "core/solve/start.h"

#include <fmt/format.h>

#include <array>
#include <cmath>
#include <limits>

#include "core/base/numbers.h"
#include "core/base/parallel.h"
#include "core/solve/arm.h"
#include "core/solve/description_length.h"
#include "core/solve/locked_off.h"
#include "core/solve/sort_out.h"
#include "core/solve/rotation_only.h"

namespace dusky {
namespace {

constexpr double kFarBehind = 2;  // times the least description length: not worth going on with

/// What a pinhole's and a fisheye's picture may span: focal lengths as shares of the width.
const std::vector<double>& usualShares(LensModel model) {
  static const std::vector<double> pinhole = {0.65, 0.9, 1.25, 1.8, 2.7}, fisheye = {0.3, 0.38, 0.5, 0.7};
  return model == LensModel::Fisheye ? fisheye : pinhole;
}

void addStarts(std::vector<SkeletonStart>& starts, const SolveOptions& options, int width, int height, LensModel model, double squeeze) {
  const bool zoom = options.focal == FocalKnowledge::Zoom;
  std::vector<double> focals;
  if (options.focal == FocalKnowledge::Near || options.focal == FocalKnowledge::Locked)
    focals = {options.focal_px};
  else
    for (const double share : usualShares(model)) focals.push_back(share * width);
  if (const KnownValue* focal = knownValueOf(options, model, 0)) focals = {focal->value};
  for (const double focal : focals) {
    SkeletonStart start{plainLens(options, width, height, focal, model), zoom, firstFreedom(options, model)};
    if (model == LensModel::Anamorphic && !knownValueOf(options, model, kFirstCoefficient)) start.lens.squeeze() = squeeze;
    starts.push_back(start);
  }
}

/// One start and what came of it both ways.
struct Tried {
  SkeletonStart start;
  std::optional<Skeleton> moving;
  std::optional<Turning> turning;
};

class Chooser {
 public:
  Chooser(const Reconstruction& work, const TrackSet& tracks, const SolveOptions& options, double noise_px, const Progress& progress)
      : tracks_(tracks), options_(options), noise_px_(noise_px), progress_(progress), keyframes_(chooseKeyframes(tracks)), work_(lean(work, keyframes_)) {}

  Result<std::vector<SolveStart>> run() {
    std::vector<SkeletonStart> starts = startsToTry(options_, tracks_.width, tracks_.height);
    tryAll(starts);
    if (progress_.stopRequested()) return cancelled();
    const bool fits_poorly = poor();
    findZoom(nearlyToTheNoise() && isUsual() ? std::vector<SkeletonStart>{} : starts);
    if (options_.lens == LensChoice::Auto && !options_.known_lens && fits_poorly && (zooming_.empty() || zooming_.front().median_error_px >= toTheNoise())) {
      starts.clear();
      addStarts(starts, options_, tracks_.width, tracks_.height, LensModel::Fisheye, 1);
      for (const double squeeze : {2.0, 1.5}) addStarts(starts, options_, tracks_.width, tracks_.height, LensModel::Anamorphic, squeeze);
      tryAll(starts);
    }
    if (progress_.stopRequested()) return cancelled();
    return ranked();
  }

 private:
  /// The search for a start needs hundreds of tracks, not thousands: those seen in most keyframes; the others rest.
  static Reconstruction lean(const Reconstruction& work, const std::vector<int>& keyframes) {
    constexpr std::size_t kEnough = 700;
    std::vector<std::pair<int, std::size_t>> seen;
    for (std::size_t t = 0; t < work.tracks.size(); ++t) {
      const WorkTrack& track = work.tracks[t];
      if (track.holdout || track.by_artist) continue;
      const auto in_key = [&](const WorkObservation& o) { return std::binary_search(keyframes.begin(), keyframes.end(), o.frame_index); };
      seen.emplace_back(-static_cast<int>(std::count_if(track.observations.begin(), track.observations.end(), in_key)), t);
    }
    Reconstruction lean = work;
    if (seen.size() <= kEnough) return lean;
    std::vector<int> enough_at(work.poses.size(), 0);
    std::sort(seen.begin(), seen.end());
    // Every keyframe keeps its share, however short the lives there.
    const int share = static_cast<int>(2 * kEnough / std::max<std::size_t>(1, keyframes.size()));
    for (const auto& [count, t] : seen) {
      bool needed = false;
      for (const WorkObservation& o : work.tracks[t].observations)
        needed = needed || (std::binary_search(keyframes.begin(), keyframes.end(), o.frame_index) && enough_at[o.frame_index] < std::max(100, share));
      lean.tracks[t].resting = !needed;
      if (!needed) continue;
      for (const WorkObservation& o : work.tracks[t].observations) ++enough_at[o.frame_index];
    }
    return lean;
  }

  void tryAll(const std::vector<SkeletonStart>& starts) {
    progress_.report(0.02, fmt::format("solving {} keyframes", keyframes_.size()));
    for (Tried& one : triedWith(starts)) tried_.push_back(std::move(one));
  }

  /// What comes of each start, both ways as far as the motion is open.
  std::vector<Tried> triedWith(const std::vector<SkeletonStart>& starts) const {
    std::vector<Tried> tried;
    for (const SkeletonStart& start : starts) tried.push_back({start, std::nullopt, std::nullopt});
    const auto seed = static_cast<std::uint64_t>(options_.seed);
    parallelFor(static_cast<int>(2 * starts.size()), [&](int i) {
      Tried& one = tried[static_cast<std::size_t>(i / 2)];
      if (progress_.stopRequested()) return;
      if (i % 2 == 0 && options_.motion != CameraMotion::Nodal && options_.motion != CameraMotion::Arc)
        one.moving = growSkeleton(work_, keyframes_, one.start, seed, progress_.silent());
      if (i % 2 == 1 && (options_.motion == CameraMotion::Auto || options_.motion == CameraMotion::Nodal || options_.motion == CameraMotion::Arc))
        one.turning = rotateOnly(work_, keyframes_, one.start, seed, progress_.silent());
    });
    return tried;
  }

  /// Whether none of what was tried fits as it should.
  bool poor() {
    const Skeleton* moving = bestMoving();
    const Turning* turning = bestTurning();
    const bool moves = moving && moving->median_error_px < fits() && moving->placed_keyframes > 0.8 * static_cast<double>(keyframes_.size());
    return !moves && !(turning && turning->median_error_px < fits());
  }

  /// Whether one focal length leaves so little to be explained that a zoom is looked for beside it only: keyframes are rough.
  bool nearlyToTheNoise() {
    constexpr double kRough = 1.25;
    const Skeleton* moving = bestMoving();
    const Turning* turning = bestTurning();
    return (moving && moving->median_error_px < kRough * toTheNoise()) || (turning && turning->median_error_px < kRough * toTheNoise());
  }

  /// Whether the best moving camera looks through a lens as people have them: a zoom that is taken for one focal length bends it.
  bool isUsual() {
    constexpr double kLongest = 2.2, kBent = 0.3;
    const Skeleton* moving = bestMoving();
    if (!moving) return true;
    const Lens lens = moving->work.lens();
    return lens.focal_px < kLongest * lens.width && std::abs(lens.coefficients[0]) < kBent;
  }

  /// A median error that leaves nothing to be explained.
  double toTheNoise() const { return kMedianOfSpread * 1.3 * (std::isnan(noise_px_) ? 0.1 : std::max(noise_px_, 0.03)); }
  /// A median error that needs no other explanation: a few times what the noise makes it, for the keyframes are rough.
  /// No more than kSurelyNot: a strong distortion bends the lines of near frames too, and looks like noise.
  double fits() const { return std::isnan(noise_px_) ? kFits : std::clamp(2 * kMedianOfSpread * noise_px_, kFits, kSurelyNot); }

  static constexpr double kOtherLens = 1.25;
  static constexpr double kFits = 0.4, kSurelyNot = 0.9;  ///< px, median over the keyframes.
  double costOf(const Skeleton& s) const { return costOfPlaced(s.median_error_px, s.placed_keyframes, keyframes_.size()); }
  double costOf(const Turning& t) const { return costOfPlaced(t.median_error_px, t.placed_frames, keyframes_.size()); }

  Skeleton* bestMoving() {
    Skeleton* best = nullptr;
    double best_cost = 0;
    for (Tried& one : tried_) {
      if (!one.moving || one.moving->placed_tracks < 12) continue;
      // Another lens than the usual one must explain clearly more.
      const double cost = costOf(*one.moving) * (one.start.lens.model == LensModel::Brown ? 1 : kOtherLens);
      if (best && cost >= best_cost) continue;
      best = &*one.moving, best_cost = cost;
    }
    return best;
  }

  Turning* bestTurning() {
    Turning* best = nullptr;
    double best_cost = 0;
    for (Tried& one : tried_) {
      if (!one.turning || std::isnan(one.turning->median_error_px) || one.turning->placed_frames < 0.6 * static_cast<double>(keyframes_.size())) continue;
      const double cost = costOf(*one.turning) * (one.start.lens.model == LensModel::Brown ? 1 : kOtherLens);
      if (best && cost >= best_cost) continue;
      best = &*one.turning, best_cost = cost;
    }
    return best;
  }

  /// The best of each kind by description length.
  Result<std::vector<SolveStart>> ranked() {
    Skeleton* moving = bestMoving();
    Turning* turning = bestTurning();
    if (options_.motion == CameraMotion::Nodal && !turning)
      return cannotSolve("Too few tracks agree on a camera that only rotates. Track more features, or let it move.");
    if (!moving && !turning && zooming_.empty())
      return cannotSolve("Too few tracks agree on a camera: no pair of frames shares enough of them with parallax. Track more features, or a shorter range.");
    std::vector<SolveStart> all;
    if (moving) all.push_back({std::move(moving->work), false, 0, moving->median_error_px});
    for (Skeleton& zooming : zooming_) all.push_back({std::move(zooming.work), false, 0, zooming.median_error_px});
    for (const auto* pivot : {turning, zooming_turning_ ? &*zooming_turning_ : nullptr}) {
      if (auto arc = pivot ? arcFrom(*pivot) : std::nullopt) all.push_back(std::move(*arc));
    }
    if (turning) all.push_back({std::move(turning->work), true, 0, turning->median_error_px});
    if (zooming_turning_) all.push_back({std::move(zooming_turning_->work), true, 0, zooming_turning_->median_error_px});
    if (options_.motion == CameraMotion::Arc) std::erase_if(all, [](const SolveStart& start) { return !start.work.arm; });
    if (all.empty()) return cannotSolve("The tracks show no camera that rotates about a point beside it. Let it move.");
    double sigma = std::numeric_limits<double>::infinity();
    for (const SolveStart& start : all) sigma = std::min(sigma, start.median_error_px / kMedianOfSpread);
    if (noise_px_ > sigma) sigma = noise_px_;
    for (SolveStart& start : all) start.length = descriptionLength(start.work, start.nodal, keyframes_, std::max(sigma, 0.02)).total();
    std::stable_sort(all.begin(), all.end(), [](const SolveStart& a, const SolveStart& b) { return a.length < b.length; });
    dropIdleZooms(all);
    dropIdleArcs(all);
    const SolveStart& best = all.front();
    if (best.median_error_px > kRoughPx) return cannotSolve(whyHopeless(best));
    // Beside what fits nearly to the noise, errors of several times as much are no explanation, however few unknowns they need.
    constexpr double kHopeless = 4;
    const double most_px = best.median_error_px < fits() ? std::min(kRoughPx, kHopeless * best.median_error_px) : kRoughPx;
    std::erase_if(all,
                  [least = best.length, most_px](const SolveStart& start) { return start.length > kFarBehind * least || start.median_error_px > most_px; });
    for (SolveStart& start : all) {
      // All tracks take part again; those that rested have no place yet.
      for (WorkTrack& track : start.work.tracks) track.resting = false;
    }
    return all;
  }

  /// A zoom can do all that one focal length can: where it is no shorter, or fits hardly better, it found nothing. One that shows between the keyframes only is
  /// found later, beside the constant one.
  static void dropIdleZooms(std::vector<SolveStart>& starts) {
    constexpr double kShows = 0.97;
    const auto zooms = [](const SolveStart& s) { return !s.work.focal_px.empty(); };
    double constant[2] = {1e300, 1e300}, error[2] = {1e300, 1e300};
    for (const SolveStart& s : starts) {
      if (!zooms(s)) constant[s.nodal] = std::min(constant[s.nodal], s.length), error[s.nodal] = std::min(error[s.nodal], s.median_error_px);
    }
    std::erase_if(starts, [&](const SolveStart& s) { return zooms(s) && (s.length >= constant[s.nodal] || s.median_error_px > kShows * error[s.nodal]); });
  }

  /// A camera that rotates about a point beside it can do all that one on its nodal point can.
  static void dropIdleArcs(std::vector<SolveStart>& starts) {
    double nodal = 1e300;
    for (const SolveStart& s : starts) nodal = s.nodal ? std::min(nodal, s.length) : nodal;
    std::erase_if(starts, [&](const SolveStart& s) { return s.work.arm && s.length >= nodal; });
  }

  /// What comes of a camera that only rotates when it may stand beside its pivot: before, behind or on a side of it. One of them is near enough for the rest to
  /// follow.
  std::optional<SolveStart> arcFrom(const Turning& turning) const {
    if (!pivotIsOpen(options_, turning.work.lens().model) || !(turning.median_error_px < kRoughPx)) return std::nullopt;
    std::array<SolveStart, 4> tried;
    const std::array<Vec3, 4> arms = {Vec3::UnitZ(), -Vec3::UnitZ(), Vec3::UnitX(), -Vec3::UnitX()};
    parallelFor(4, [&](int i) { tried[static_cast<std::size_t>(i)] = onArm(turning.work, arms[static_cast<std::size_t>(i)]); });
    auto best = std::min_element(tried.begin(), tried.end(), [](const SolveStart& a, const SolveStart& b) { return a.length < b.length; });
    if (!(best->median_error_px < turning.median_error_px)) return std::nullopt;
    return std::move(*best);
  }

  SolveStart onArm(Reconstruction work, const Vec3& arm) const {
    beginOnArm(work, arm);
    LensFreedom free = firstFreedom(options_, work.lens().model);
    const bool finds_focal = free[0];
    if (finds_focal) beginBeforeInfinity(work);
    const double far_rad = 0.5 * std::max(0.1, noise_px_) / work.lens().focal_px;
    for (const bool at_last : {false, true, true}) {
      placeTracks(work, false, far_rad);
      sortOut(work, kRoughLimits);
      free[0] = finds_focal && at_last && work.focal_px.empty();
      BundleOptions options{.free_lens = free, .prior = roughPrior(work.lens().model), .fixed_centres = true, .free_focal = at_last};
      options.loss_px = 1.5, options.max_steps = 25, options.settled = 1e-5;
      adjustReconstruction(work, options, progress_.silent());
    }
    const double error = errorSpread(work) * kMedianOfSpread;
    const double length = descriptionLength(work, false, keyframes_, std::max(0.05, std::isnan(noise_px_) ? 0.1 : noise_px_)).total();
    return {std::move(work), false, length, error};
  }

  static std::string whyHopeless(const SolveStart& start) {
    return start.nodal ? fmt::format("A camera that only rotates does not explain the tracks: half of the errors are above {:.1f} px. Let it move.",
                                     start.median_error_px)
                       : fmt::format("The tracks do not fit one still set: half of the errors are above {:.1f} px. Leave out what moves, or shorten the range.",
                                     start.median_error_px);
  }

  /// Skeletons and rotations with a focal length for every keyframe: beginning with the best constant one, and with trial lenses too where that one may be no
  /// more than a compromise.
  void findZoom(std::vector<SkeletonStart> starts) {
    if (!zoomIsOpen(options_)) return;
    const Skeleton* moving = bestMoving();
    const Turning* turning = bestTurning();
    const Reconstruction* best = moving ? &moving->work : turning ? &turning->work : nullptr;
    if (best) starts.push_back({best->lens(), true, firstFreedom(options_, best->lens().model)});
    for (SkeletonStart& start : starts) start.zoom = true, start.free_lens[0] = false;
    std::vector<Skeleton> moving_zooms;
    for (Tried& one : triedWith(starts)) {
      if (one.moving && one.moving->placed_tracks >= 12) moving_zooms.push_back(std::move(*one.moving));
      if (one.turning && !std::isnan(one.turning->median_error_px) && (!zooming_turning_ || costOf(*one.turning) < costOf(*zooming_turning_)))
        zooming_turning_ = std::move(one.turning);
    }
    keepZooms(std::move(moving_zooms));
  }

  /// The best zoom, and others that do nearly as well with other focal lengths: a few keyframes hardly tell them apart, all frames do.
  void keepZooms(std::vector<Skeleton> found) {
    constexpr double kNearlyAsGood = 1.08, kOtherFocal = 1.25;
    constexpr std::size_t kMost = 3;
    const auto focal = [&](const Skeleton& s) { return s.work.focal_px[static_cast<std::size_t>(keyframes_[keyframes_.size() / 2])]; };
    std::stable_sort(found.begin(), found.end(), [&](const Skeleton& a, const Skeleton& b) { return costOf(a) < costOf(b); });
    for (Skeleton& one : found) {
      const auto same = [&](const Skeleton& kept) { return std::abs(std::log(focal(one) / focal(kept))) < std::log(kOtherFocal); };
      if (zooming_.size() == kMost || (!zooming_.empty() && costOf(one) > kNearlyAsGood * costOf(zooming_.front()))) return;
      if (std::none_of(zooming_.begin(), zooming_.end(), same)) zooming_.push_back(std::move(one));
    }
  }

  const TrackSet& tracks_;
  const SolveOptions& options_;
  const double noise_px_;
  const Progress& progress_;
  const std::vector<int> keyframes_;
  const Reconstruction work_;
  std::vector<Tried> tried_;
  std::vector<Skeleton> zooming_;  ///< The best first.
  std::optional<Turning> zooming_turning_;
};
}  // namespace

LensFreedom firstFreedom(const SolveOptions& options, LensModel model) {
  LensFreedom freedom{};
  if (options.known_lens) return freedom;
  freedom[0] = options.focal == FocalKnowledge::Unknown || options.focal == FocalKnowledge::Near;
  freedom[kFirstCoefficient] = model == LensModel::Brown || model == LensModel::Anamorphic;
  return withoutKnown(options, model, freedom);
}

Lens plainLens(const SolveOptions& options, int width, int height, double focal_px, LensModel model) {
  Lens lens = Lens::simple(width, height, focal_px, model);
  lens.pixel_aspect = options.pixel_aspect;
  putKnownValues(options, lens);
  return lens;
}

bool zoomIsOpen(const SolveOptions& options) { return options.focal == FocalKnowledge::Unknown && !options.known_lens; }

bool pivotIsOpen(const SolveOptions& options, LensModel model) {
  const bool unknown = options.focal == FocalKnowledge::Unknown && focalIsOpen(options, model);
  return options.motion == CameraMotion::Arc || (options.motion == CameraMotion::Auto && unknown);
}

std::vector<SkeletonStart> startsToTry(const SolveOptions& options, int width, int height) {
  std::vector<SkeletonStart> starts;
  if (options.known_lens) {
    starts.push_back({*options.known_lens, options.focal == FocalKnowledge::Zoom, {}});
    putKnownValues(options, starts.front().lens);
    return starts;
  }
  switch (options.lens) {
    case LensChoice::None: addStarts(starts, options, width, height, LensModel::None, 1); break;
    case LensChoice::Auto:
    case LensChoice::Brown: addStarts(starts, options, width, height, LensModel::Brown, 1); break;
    case LensChoice::Fisheye: addStarts(starts, options, width, height, LensModel::Fisheye, 1); break;
    case LensChoice::Anamorphic:
      for (const double squeeze : {2.0, 1.5, 1.0}) addStarts(starts, options, width, height, LensModel::Anamorphic, squeeze);
      break;
  }
  return starts;
}

Result<std::vector<SolveStart>> findStarts(const Reconstruction& work, const TrackSet& tracks, const SolveOptions& options, double noise_px,
                                           const Progress& progress) {
  return Chooser(work, tracks, options, noise_px, progress).run();
}
}  // namespace dusky
