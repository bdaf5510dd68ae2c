#include "core/solve/start.h"

#include <fmt/format.h>

#include <cmath>

#include "core/base/numbers.h"
#include "core/base/parallel.h"
#include "core/solve/sort_out.h"
#include "core/solve/rotation_only.h"

namespace dusky {
namespace {

constexpr double kTruncated = 36;  // squared errors in standard deviations count no more than this

Lens plainLens(const SolveOptions& options, int width, int height, double focal_px, LensModel model) {
  Lens lens = Lens::simple(width, height, focal_px, model);
  lens.pixel_aspect = options.pixel_aspect;
  putKnownValues(options, lens);
  return lens;
}

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

/// What a skeleton or a rotation costs: its error, more for keyframes that it has no camera for.
double costWith(double median_error_px, int keyframes, int placed) { return (median_error_px + 0.05) * keyframes / std::max(1, placed); }

/// The price of an explanation over the tracks that the moving one placed: truncated squared errors and unknowns.
struct Price {
  double moving = 0, turning = 0;
};

Price priceOf(const Skeleton& moving, const Turning& turning) {
  const double sigma = std::max(0.1, std::min(moving.median_error_px, turning.median_error_px) / 1.1774);
  Price price;
  const Views move_views(moving.work), turn_views(turning.work);
  int observations = 0, tracks = 0;
  for (std::size_t t = 0; t < moving.work.tracks.size(); ++t) {
    const WorkTrack &a = moving.work.tracks[t], &b = turning.work.tracks[t];
    if (!a.point) continue;
    ++tracks;
    for (const WorkObservation& o : a.observations) {
      const bool moved = moving.work.poses[o.frame_index].has_value(), turned = turning.work.poses[o.frame_index] && b.point;
      if (!moved && !turned) continue;
      ++observations;
      // What one of them has no camera for, it does not explain.
      price.moving += (moved ? std::min(std::pow(move_views.error(a, o) / sigma, 2), kTruncated) : kTruncated) / kCorrelatedSightings;
      price.turning += (turned ? std::min(std::pow(turn_views.error(b, o) / sigma, 2), kTruncated) : kTruncated) / kCorrelatedSightings;
    }
  }
  const double each = std::log(2.0 * std::max(2, observations));
  price.moving += each * (6.0 * moving.placed_keyframes + 3.0 * tracks - 7);
  price.turning += each * (3.0 * turning.placed_frames + 2.0 * tracks - 3);
  return price;
}

class Chooser {
 public:
  Chooser(const Reconstruction& work, const TrackSet& tracks, const SolveOptions& options, const Progress& progress)
      : all_(work), tracks_(tracks), options_(options), progress_(progress), keyframes_(chooseKeyframes(tracks)), work_(lean(work, keyframes_)) {}

  Result<SolveStart> run() {
    auto start = search();
    if (!start.ok()) return start;
    // All tracks take part again; those that rested have no place yet.
    for (WorkTrack& track : start->work.tracks) track.resting = false;
    return start;
  }

 private:
  Result<SolveStart> search() {
    std::vector<SkeletonStart> starts = startsToTry(options_, tracks_.width, tracks_.height);
    tryAll(starts);
    if (progress_.stopRequested()) return cancelled();
    const bool fits_poorly = poor();
    findZoom(fits_poorly ? starts : std::vector<SkeletonStart>{});
    if (options_.lens == LensChoice::Auto && !options_.known_lens && fits_poorly && !(zooming_ && zooming_->median_error_px < kFits)) {
      starts.clear();
      addStarts(starts, options_, tracks_.width, tracks_.height, LensModel::Fisheye, 1);
      for (const double squeeze : {2.0, 1.5}) addStarts(starts, options_, tracks_.width, tracks_.height, LensModel::Anamorphic, squeeze);
      tryAll(starts);
      const Skeleton* constant = bestMoving();
      if (zooming_ && constant && constant->median_error_px < zooming_->median_error_px) zooming_.reset();
    }
    if (progress_.stopRequested()) return cancelled();
    return choose();
  }

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
    const std::size_t before = tried_.size();
    for (const SkeletonStart& start : starts) tried_.push_back({start, std::nullopt, std::nullopt});
    const auto seed = static_cast<std::uint64_t>(options_.seed);
    parallelFor(static_cast<int>(2 * starts.size()), [&](int i) {
      Tried& one = tried_[before + static_cast<std::size_t>(i / 2)];
      if (progress_.stopRequested()) return;
      if (i % 2 == 0 && options_.motion != CameraMotion::Nodal) one.moving = growSkeleton(work_, keyframes_, one.start, seed, progress_.silent());
      if (i % 2 == 1 && (options_.motion == CameraMotion::Auto || options_.motion == CameraMotion::Nodal))
        one.turning = rotateOnly(work_, keyframes_, one.start, seed, progress_.silent());
    });
  }

  /// Whether none of what was tried fits as it should.
  bool poor() {
    const Skeleton* moving = bestMoving();
    const Turning* turning = bestTurning();
    const bool moves = moving && moving->median_error_px < kFits && moving->placed_keyframes > 0.8 * static_cast<double>(keyframes_.size());
    return !moves && !(turning && turning->median_error_px < kFits);
  }

  static constexpr double kOtherLens = 1.25;
  static constexpr double kFits = 0.4;  ///< px, median over the keyframes.
  double costOf(const Skeleton& s) const { return costWith(s.median_error_px, static_cast<int>(keyframes_.size()), s.placed_keyframes); }
  double costOf(const Turning& t) const { return costWith(t.median_error_px, static_cast<int>(keyframes_.size()), t.placed_frames); }

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

  Result<SolveStart> choose() {
    Skeleton* moving = bestMoving();
    Turning* turning = bestTurning();
    if (turning && (options_.motion == CameraMotion::Nodal || onlyTurns(moving, *turning))) {
      if (turning->median_error_px > kRoughPx) {
        return cannotSolve(fmt::format("A camera that only turns does not explain the tracks: half of the errors are above {:.1f} px. Let it move.",
                                       turning->median_error_px));
      }
      return SolveStart{std::move(turning->work), true, why_};
    }
    if (options_.motion == CameraMotion::Nodal) return cannotSolve("Too few tracks agree on a camera that only turns. Track more features, or let it move.");
    if (!moving) {
      return cannotSolve("Too few tracks agree on a camera: no pair of frames shares enough of them with parallax. Track more features, or a shorter range.");
    }
    if (moving->median_error_px > kRoughPx) {
      return cannotSolve(fmt::format("The tracks do not fit one still set: half of the errors are above {:.1f} px. Leave out what moves, or shorten the range.",
                                     moving->median_error_px));
    }
    if (why_.empty()) why_ = "The camera moves: one that only turns does not explain the keyframes.";
    if (zooming_) {
      why_ += fmt::format(" Its focal length changes: with one value the keyframes are explained to {:.2f} px, with one for each to {:.2f} px.",
                          moving->median_error_px, zooming_->median_error_px);
      return SolveStart{std::move(zooming_->work), false, why_};
    }
    return SolveStart{std::move(moving->work), false, why_};
  }

  /// Skeletons with a focal length for every keyframe, where that explains much more: beginning with the best constant one, and with trial
  /// lenses too where that one may be no more than a compromise.
  void findZoom(std::vector<SkeletonStart> starts) {
    constexpr double kHint_px = 0.1, kMuchMore = 0.6;
    const Skeleton* constant = bestMoving();
    if (!constant || options_.focal != FocalKnowledge::Unknown || options_.known_lens || options_.motion == CameraMotion::Nodal) return;
    if (constant->median_error_px < kHint_px) return;
    starts.push_back({constant->work.lens(), true, firstFreedom(options_, constant->work.lens().model)});
    std::vector<std::optional<Skeleton>> grown(starts.size());
    parallelFor(static_cast<int>(starts.size()), [&](int i) {
      SkeletonStart& start = starts[static_cast<std::size_t>(i)];
      start.zoom = true, start.free_lens[0] = false;
      grown[static_cast<std::size_t>(i)] = growSkeleton(work_, keyframes_, start, static_cast<std::uint64_t>(options_.seed), progress_.silent());
    });
    for (std::optional<Skeleton>& one : grown) {
      if (!one || one->placed_keyframes < constant->placed_keyframes || one->placed_tracks < 0.8 * constant->placed_tracks) continue;
      if (one->median_error_px >= kMuchMore * constant->median_error_px || (zooming_ && zooming_->median_error_px <= one->median_error_px)) continue;
      zooming_ = std::move(one);
    }
  }

  bool onlyTurns(const Skeleton* moving, const Turning& turning) {
    if (!moving) {
      why_ = fmt::format("A camera that only turns explains the keyframes to {:.2f} px; no pair of frames shows parallax.", turning.median_error_px);
      return turning.median_error_px < 2;
    }
    const Price price = priceOf(*moving, turning);
    const bool turns = price.turning < price.moving;
    why_ = turns ? fmt::format("The camera only turns: that explains the keyframes to {:.2f} px; a free path, to {:.2f} px, does not pay for its unknowns.",
                               turning.median_error_px, moving->median_error_px)
                 : fmt::format("The camera moves: a free path explains the keyframes to {:.2f} px, one that only turns to {:.2f} px.", moving->median_error_px,
                               turning.median_error_px);
    return turns;
  }

  const Reconstruction& all_;
  const TrackSet& tracks_;
  const SolveOptions& options_;
  const Progress& progress_;
  const std::vector<int> keyframes_;
  const Reconstruction work_;
  std::vector<Tried> tried_;
  std::optional<Skeleton> zooming_;
  std::string why_;
};
}  // namespace

LensFreedom firstFreedom(const SolveOptions& options, LensModel model) {
  LensFreedom freedom{};
  if (options.known_lens) return freedom;
  freedom[0] = options.focal == FocalKnowledge::Unknown || options.focal == FocalKnowledge::Near;
  freedom[kFirstCoefficient] = model == LensModel::Brown || model == LensModel::Anamorphic;
  return withoutKnown(options, model, freedom);
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

Result<SolveStart> findStart(const Reconstruction& work, const TrackSet& tracks, const SolveOptions& options, const Progress& progress) {
  return Chooser(work, tracks, options, progress).run();
}
}  // namespace dusky
