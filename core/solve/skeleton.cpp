#include "core/solve/skeleton.h"

#include <array>
#include <cmath>
#include <limits>
#include <map>
#include <numeric>

#include "core/base/numbers.h"
#include "core/base/parallel.h"
#include "core/geometry/homography.h"
#include "core/geometry/resection.h"
#include "core/geometry/two_view.h"
#include "core/solve/sort_out.h"

namespace dusky {
namespace {

constexpr double kTolerancePx = 4.0;  // while the lens is still rough
constexpr int kMinCommon = 16;

/// Tracks that two frames share, by index, and where each saw them.
struct Common {
  std::vector<int> tracks;
  std::vector<Vec2> a, b;

  double medianMotion() const {
    std::vector<double> moves;
    for (std::size_t i = 0; i < a.size(); ++i) moves.push_back((b[i] - a[i]).norm());
    return a.empty() ? 0 : median(std::move(moves));
  }
};

/// Observations by frame, for quick look-up.
class FrameIndex {
 public:
  explicit FrameIndex(const Reconstruction& work) : by_frame_(work.poses.size()) {
    for (std::size_t t = 0; t < work.tracks.size(); ++t) {
      if (work.tracks[t].holdout || work.tracks[t].by_artist || work.tracks[t].resting) continue;
      for (const WorkObservation& o : work.tracks[t].observations) by_frame_[o.frame_index].emplace(static_cast<int>(t), o.seen);
    }
  }
  const std::map<int, Vec2>& at(int frame) const { return by_frame_[frame]; }
  Common between(int a, int b) const {
    Common common;
    for (const auto& [track, seen] : by_frame_[a]) {
      const auto other = by_frame_[b].find(track);
      if (other == by_frame_[b].end()) continue;
      common.tracks.push_back(track);
      common.a.push_back(seen);
      common.b.push_back(other->second);
    }
    return common;
  }

 private:
  std::vector<std::map<int, Vec2>> by_frame_;
};

/// Unit rays; beyond the lens's range those of a lens without distortion.
std::vector<Vec3> raysOf(const Lens& lens, const std::vector<Vec2>& pixels) {
  std::vector<Vec3> rays;
  for (const Vec2& p : pixels) rays.push_back(lens.undistort(p).value_or(lens.straightRay(p)).homogeneous().normalized());
  return rays;
}

constexpr std::array<double, 5> kLonger = {1, 0.9, 1.11, 0.8, 1.25};  // what a zoom is tried with from one keyframe to another
/// Belief that neighbouring keyframes have nearly one focal length: the logarithm changes by about this much a frame, px^2 of cost for one.
constexpr double kZoomPerFrame = 0.01;
constexpr double kRoughCost_px2 = 1.0;

struct Pair {
  int a = 0, b = 0;
  double promise = 0;  ///< Before any geometry: shared tracks times motion.
  TwoView view;
  double ratio = 1;  ///< Focal length in b over that in a.
  double worth() const { return static_cast<double>(view.inliers.size()) * std::min(view.median_parallax_rad / 0.07, 1.0); }
};

std::vector<Pair> promisingPairs(const FrameIndex& index, const std::vector<int>& keyframes, double width) {
  std::vector<Pair> pairs;
  for (std::size_t i = 0; i < keyframes.size(); ++i) {
    for (std::size_t j = i + 1; j < std::min(keyframes.size(), i + 10); ++j) {
      const Common common = index.between(keyframes[i], keyframes[j]);
      if (static_cast<int>(common.tracks.size()) < kMinCommon) continue;
      const double motion = std::min(common.medianMotion() / (0.15 * width), 1.0);
      pairs.push_back({keyframes[i], keyframes[j], std::min(static_cast<double>(common.tracks.size()), 250.0) * motion, {}});
    }
  }
  std::stable_sort(pairs.begin(), pairs.end(), [](const Pair& a, const Pair& b) { return a.promise > b.promise; });
  constexpr std::size_t kTried = 8;
  if (pairs.size() > kTried) pairs.resize(kTried);
  return pairs;
}

class Grower {
 public:
  Grower(const Reconstruction& start, const std::vector<int>& keyframes, const SkeletonStart& with, std::uint64_t seed, bool first_pair_zooms)
      : first_pair_zooms_(first_pair_zooms && with.zoom),
        index_(start),
        keyframes_(keyframes),
        start_focal_px_(with.lens.focal_px),
        free_lens_(with.free_lens),
        seed_(seed) {
    work() = start;
    beginWithLens(work(), keyframes, with);
  }

  /// Whether the first pair was taken with two focal lengths.
  bool zoomedInPair() const { return zoomed_in_pair_; }

  std::optional<Skeleton> run(const Progress& progress) {
    if (!placeFirstPair()) return std::nullopt;
    adjustNow(false, 12, progress);
    while (placeNextKeyframe()) {
      if (progress.stopRequested()) return std::nullopt;
      placeNewTracks();
      adjustNow(placedKeyframes() >= 4, 6, progress);
      dropBadTracks();
    }
    placeNewTracks();
    adjustNow(placedKeyframes() >= 3, 30, progress);
    dropBadTracks();
    placeNewTracks();
    adjustNow(placedKeyframes() >= 3, 15, progress);
    measure();
    return std::move(skeleton_);
  }

 private:
  Reconstruction& work() { return skeleton_.work; }
  double tolerance(int frame) { return kTolerancePx / work().lensAt(frame).focal_px; }
  int placedKeyframes() { return work().placedFrames(); }

  bool placeFirstPair() {
    std::vector<Pair> pairs = promisingPairs(index_, keyframes_, work().width());
    parallelFor(static_cast<int>(pairs.size()), [&](int i) { relate(pairs[i], seed_ + i); });
    const auto best = std::max_element(pairs.begin(), pairs.end(), [](const Pair& a, const Pair& b) { return a.worth() < b.worth(); });
    if (best == pairs.end() || best->view.inliers.size() < 10 || best->view.median_parallax_rad < 1e-3) return false;
    if (!work().focal_px.empty()) work().focal_px[best->b] *= best->ratio;
    zoomed_in_pair_ = best->ratio != 1;
    const RelativePose& relative = best->view.relative;
    work().poses[best->a] = Pose{};
    work().poses[best->b] = Pose{Eigen::Quaterniond(Mat3(relative.rotation.transpose())), -relative.rotation.transpose() * relative.direction};
    const Common common = index_.between(best->a, best->b);
    const Views views(work());
    for (int i : best->view.inliers) placeOne(views, common.tracks[i], 0.003);
    return true;
  }

  /// Of a zoom, the second frame's focal length may be another one: the ratio that two-view geometry likes best, if it likes it clearly better.
  void relate(Pair& pair, std::uint64_t seed) {
    const Common common = index_.between(pair.a, pair.b);
    const std::vector<Vec3> a = raysOf(work().lensAt(pair.a), common.a);
    for (std::size_t i = 0; i < (first_pair_zooms_ ? kLonger.size() : 1); ++i) {
      Lens lens = work().lensAt(pair.b);
      lens.focal_px *= kLonger[i];
      TwoView view = relatePair(a, raysOf(lens, common.b), 0.5 * tolerance(pair.a), seed);
      constexpr double kClearly = 0.75;
      if (i > 0 && !(view.cost < kClearly * pair.view.cost)) continue;
      pair.view = std::move(view), pair.ratio = kLonger[i];
    }
  }

  /// Gives a track a place when all its placed keyframes agree on one.
  void placeOne(const Views& views, int t, double min_parallax_rad) {
    WorkTrack& track = work().tracks[t];
    const auto placed = placeTrack(work(), views, track, false);
    if (!placed || placed->parallax_rad < min_parallax_rad) return;
    for (const WorkObservation& o : track.observations) {
      if (!work().poses[o.frame_index]) continue;
      const auto seen = project(views.lens(o.frame_index), views.poseFor(o), placed->point);
      if (!seen || (*seen - o.seen).norm() > 2 * kTolerancePx) return;
    }
    track.point = placed->point;
    track.reason = AsideReason::None;
  }

  void placeNewTracks() {
    const Views views(work());
    parallelFor(
        static_cast<int>(work().tracks.size()),
        [&](int t) {
          WorkTrack& track = work().tracks[t];
          if (!track.point && !track.holdout && !track.by_artist && !track.resting) placeOne(views, t, 0.012);
        },
        32);
  }

  void dropBadTracks() {
    const Views views(work());
    for (WorkTrack& track : work().tracks) {
      if (!track.point) continue;
      std::vector<double> errors;
      for (const WorkObservation& o : track.observations) {
        if (work().poses[o.frame_index]) errors.push_back(views.error(track, o));
      }
      if (median(std::move(errors)) > kTolerancePx) track.point.reset();
    }
  }

  bool placeNextKeyframe() {
    int best = -1, best_count = 0;
    for (int frame : keyframes_) {
      if (work().poses[frame] || tried_[frame] >= 2) continue;
      int count = 0;
      for (const auto& [track, seen] : index_.at(frame)) count += work().tracks[track].point.has_value();
      if (count > best_count) best = frame, best_count = count;
    }
    if (best < 0 || best_count < 6) return false;
    ++tried_[best];
    // A zoom: from the nearest camera's focal length on, shorter and longer.
    const double near = focalNear(best);
    std::size_t most = 0;
    for (std::size_t i = 0; i < (work().focal_px.empty() ? 1 : kLonger.size()); ++i) {
      Lens lens = work().lensAt(best);
      if (!work().focal_px.empty()) lens.focal_px = near * kLonger[i];
      const auto found = resectWith(lens, best);
      if (!found || found->inliers.size() <= most + most / 20) continue;
      most = found->inliers.size();
      work().poses[best] = found->pose;
      if (!work().focal_px.empty()) work().focal_px[best] = lens.focal_px;
    }
    return true;
  }

  std::optional<Resection> resectWith(const Lens& lens, int frame) {
    std::vector<Vec3> points;
    std::vector<Vec3> rays;
    for (const auto& [track, at] : index_.at(frame)) {
      const auto ray = work().tracks[track].point ? lens.ray(at) : std::nullopt;
      if (!ray) continue;
      points.push_back(*work().tracks[track].point);
      rays.push_back(*ray);
    }
    auto found = resect(points, rays, 1.5 * kTolerancePx / lens.focal_px, seed_ + frame);
    return found && found->inliers.size() >= std::max<std::size_t>(6, points.size() / 4) ? found : std::nullopt;
  }

  /// The focal length of the placed camera that is nearest in time.
  double focalNear(int frame) {
    int best = frame, nearest = std::numeric_limits<int>::max();
    for (const int k : keyframes_) {
      if (work().poses[k] && std::abs(k - frame) < nearest) best = k, nearest = std::abs(k - frame);
    }
    return work().lensAt(best).focal_px;
  }

  void adjustNow(bool with_lens, int steps, const Progress& progress) {
    BundleOptions options{.free_focal = with_lens, .loss_px = 1.5, .max_steps = steps, .settled = 1e-4};
    if (with_lens) options.free_lens = free_lens_, options.prior = roughPrior(work().lens().model), nearStart(options);
    adjustReconstruction(work(), options, progress);
  }

  /// Each start looks about its own focal length: where keyframes hardly tell it, all would run off to where perspective ends.
  void nearStart(BundleOptions& options) const {
    constexpr double kNear = 0.15, kNearZoom = 0.5, kWeight = 10 * kRoughCost_px2;
    options.prior.mean[0] = start_focal_px_, options.prior.weight[0] = kWeight / std::pow(kNear * start_focal_px_, 2);
    options.zoom_belief = {start_focal_px_, kWeight / (kNearZoom * kNearZoom) / std::max(1, skeleton_.work.placedFrames())};
  }

  void measure() {
    const Views views(work());
    std::vector<double> errors, parallax;
    for (const WorkTrack& track : work().tracks) {
      if (!track.point) continue;
      ++skeleton_.placed_tracks;
      for (const WorkObservation& o : track.observations) {
        if (work().poses[o.frame_index]) errors.push_back(views.error(track, o));
      }
      if (const auto placed = placeTrack(work(), views, track, false)) parallax.push_back(placed->parallax_rad);
    }
    skeleton_.median_error_px = median(std::move(errors));
    skeleton_.median_parallax_rad = median(std::move(parallax));
    skeleton_.placed_keyframes = placedKeyframes();
  }

  const bool first_pair_zooms_;
  bool zoomed_in_pair_ = false;
  FrameIndex index_;
  const std::vector<int>& keyframes_;
  const double start_focal_px_;
  const LensFreedom free_lens_;
  const std::uint64_t seed_;
  std::map<int, int> tried_;
  Skeleton skeleton_;
};
}  // namespace

namespace {

constexpr double kKept = 0.75;  // of a keyframe's tracks, until the next one: four or so see each

/// A new keyframe wherever the picture moved on by a share of its width, or too few tracks are left.
std::vector<int> keyframesByMotion(const FrameIndex& index, const TrackSet& tracks, double share) {
  const int last = tracks.frames() - 1;
  std::vector<int> keyframes = {0};
  for (int frame = 1; frame <= last; ++frame) {
    const Common common = index.between(keyframes.back(), frame);
    const double kept = static_cast<double>(common.tracks.size()) / std::max<double>(1.0, static_cast<double>(index.at(keyframes.back()).size()));
    if (common.medianMotion() > share * tracks.width || kept < kKept || frame == last) keyframes.push_back(frame);
  }
  return keyframes;
}

/// How far two frames' common tracks are from one plane or one turn: median distance from the best homography, px, capped, times their
/// number, capped.
double parallaxBetween(const FrameIndex& index, int a, int b) {
  const Common common = index.between(a, b);
  if (common.tracks.size() < kMinCommon) return 0;
  const Mat3 h = homographyFromPairs(common.a, common.b);
  std::vector<double> off;
  for (std::size_t i = 0; i < common.a.size(); ++i) off.push_back(((h * common.a[i].homogeneous()).hnormalized() - common.b[i]).norm());
  constexpr double kPlenty_px = 10, kPlenty = 150;
  return std::min(median(std::move(off)), kPlenty_px) * std::min<double>(static_cast<double>(common.tracks.size()), kPlenty);
}

/// The run of neighbours among a long shot's keyframes that shows most parallax; the rest of the shot is placed from there on.
std::vector<int> tellingRun(const FrameIndex& index, const std::vector<int>& keyframes, std::size_t count) {
  constexpr std::size_t kApart = 3;
  std::vector<double> shown(keyframes.size() - kApart);
  parallelFor(static_cast<int>(shown.size()), [&](int k) { shown[k] = parallaxBetween(index, keyframes[k], keyframes[k + kApart]); });
  double sum = std::accumulate(shown.begin(), shown.begin() + static_cast<std::ptrdiff_t>(count - kApart), 0.0), most = sum;
  std::size_t best = 0;
  for (std::size_t k = 1; k + count <= keyframes.size(); ++k) {
    sum += shown[k + count - kApart - 1] - shown[k - 1];
    if (sum > most) most = sum, best = k;
  }
  return {keyframes.begin() + static_cast<std::ptrdiff_t>(best), keyframes.begin() + static_cast<std::ptrdiff_t>(best + count)};
}
}  // namespace

std::vector<int> chooseKeyframes(const TrackSet& tracks) {
  constexpr std::size_t kFewest = 10, kMost = 48;
  const FrameIndex index(makeReconstruction(tracks, {}, 0, 0));
  double share = 0.045;
  std::vector<int> keyframes = keyframesByMotion(index, tracks, share);
  // A slow move, or one towards the middle of the picture, shows little motion: look closer.
  while (keyframes.size() < std::min<std::size_t>(kFewest, tracks.frames()) && share > 0.002) keyframes = keyframesByMotion(index, tracks, share /= 1.5);
  return keyframes.size() <= kMost ? keyframes : tellingRun(index, keyframes, kMost);
}

LensPrior roughPrior(LensModel model) {
  LensPrior prior;
  if (model == LensModel::Brown || model == LensModel::Fisheye) prior.weight[kFirstCoefficient] = 10 * kRoughCost_px2 / (0.2 * 0.2);
  return prior;
}

void beginWithLens(Reconstruction& work, const std::vector<int>& keyframes, const SkeletonStart& with) {
  const int lenses = work.lens_of.empty() ? 1 : 1 + *std::max_element(work.lens_of.begin(), work.lens_of.end());
  work.lenses.assign(static_cast<std::size_t>(lenses), with.lens);
  work.focal_px.clear(), work.ties.clear();
  if (!with.zoom) return;
  work.focal_px.assign(work.poses.size(), with.lens.focal_px);
  for (std::size_t k = 1; k < keyframes.size(); ++k) {
    const double change = kZoomPerFrame * (work.frame_numbers[keyframes[k]] - work.frame_numbers[keyframes[k - 1]]);
    work.ties.push_back({.a = keyframes[k - 1], .b = keyframes[k], .focal = kRoughCost_px2 / (change * change), .focal_leap = 4 * change});
  }
}

std::optional<Skeleton> growSkeleton(const Reconstruction& start, const std::vector<int>& keyframes, const SkeletonStart& with, std::uint64_t seed,
                                     const Progress& progress) {
  Grower grower(start, keyframes, with, seed, true);
  auto grown = grower.run(progress);
  if (!grower.zoomedInPair() || progress.stopRequested()) return grown;
  const auto costOf = [&](const Skeleton& s) { return costOfPlaced(s.median_error_px, s.placed_keyframes, keyframes.size()); };
  // Noise can make a change of focal length look good in two frames: what all keyframes make of it decides.
  auto plain = Grower(start, keyframes, with, seed, false).run(progress);
  if (!plain || (grown && costOf(*grown) <= costOf(*plain))) return grown;
  return plain;
}
}  // namespace dusky
