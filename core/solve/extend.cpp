#include "core/solve/extend.h"

#include <fmt/format.h>

#include <cmath>
#include <numeric>

#include "core/base/parallel.h"
#include "core/geometry/resection.h"
#include "core/solve/sort_out.h"

namespace dusky {
namespace {

constexpr int kReach = 12, kReachOfZoom = 4;  // frames from a placed one; a focal length that changes must be found on the way
constexpr int kNeighbours = 16;               // held beside a new run
constexpr double kMore = 1.0 / 3;             // of the placed frames lie beyond what was last adjusted as a whole: time to do so again
constexpr std::size_t kFewest = 6;            // tracks that a frame needs

struct SeenPoints {
  std::vector<Vec3> points;
  std::vector<Vec3> rays;
};

/// Placed points and the rays that saw them, of each wanted frame.
template <class Wanted, class LensOf>
std::vector<SeenPoints> pointsSeen(const Reconstruction& work, const Wanted& wanted, const LensOf& lens_of) {
  std::vector<std::vector<std::pair<const WorkTrack*, Vec2>>> seen(work.poses.size());
  for (const WorkTrack& track : work.tracks) {
    if (!track.takesPart() || track.at_infinity) continue;
    for (const WorkObservation& o : track.observations) {
      if (wanted(o.frame_index)) seen[o.frame_index].emplace_back(&track, o.seen);
    }
  }
  std::vector<SeenPoints> found(work.poses.size());
  parallelFor(static_cast<int>(seen.size()), [&](int f) {
    if (seen[f].empty()) return;
    const Lens lens = lens_of(f);
    for (const auto& [track, at] : seen[f]) {
      if (const auto ray = lens.ray(at)) found[f].points.push_back(*track->point), found[f].rays.push_back(*ray);
    }
  });
  return found;
}

void refineOnPoints(const Reconstruction& work, std::vector<std::optional<Pose>>& poses) {
  const auto seen = pointsSeen(
      work, [&](int f) { return poses[f].has_value(); }, [&](int f) { return work.lensAt(f); });
  parallelFor(static_cast<int>(poses.size()), [&](int f) {
    if (seen[f].points.size() < kFewest) return;
    std::vector<int> all(seen[f].points.size());
    std::iota(all.begin(), all.end(), 0);
    poses[f] = refinePose(*poses[f], seen[f].points, seen[f].rays, all, kRoughPx / work.lensAt(f).focal_px);
  });
}

class Extender {
 public:
  Extender(Reconstruction& work, const BundleOptions& adjusting, std::uint64_t seed)
      : work_(work), adjusting_(adjusting), seed_(seed), frames_(static_cast<int>(work.poses.size())), reach_(work.focal_px.empty() ? kReach : kReachOfZoom) {}

  int run(const Progress& progress) {
    const int before = work_.placedFrames();
    for (int placed = before; placed < frames_ && !progress.stopRequested();) {
      progress.report(static_cast<double>(placed) / frames_, fmt::format("placing frames: {} of {}", placed, frames_));
      const std::vector<int> fresh = placeNear();
      if (fresh.empty()) break;
      placeTracks(work_, placed == before, 0);
      adjustRuns(fresh, progress);
      sortOut(work_, kRoughLimits);
      placed += static_cast<int>(fresh.size());
      if (beyond_ > kMore * placed) adjustAll(progress);
    }
    return work_.placedFrames() - before;
  }

 private:
  /// Distance in frames from the nearest placed one.
  std::vector<int> distances() const {
    std::vector<int> away(work_.poses.size(), frames_);
    for (int f = 0; f < frames_; ++f) away[f] = work_.poses[f] ? 0 : f > 0 ? away[f - 1] + 1 : frames_;
    for (int f = frames_ - 2; f >= 0; --f) away[f] = std::min(away[f], away[f + 1] + 1);
    return away;
  }

  std::vector<int> placeNear() {
    const std::vector<int> away = distances();
    const auto wanted = [&](int f) { return away[f] > 0 && away[f] <= reach_; };
    const auto seen = pointsSeen(work_, wanted, [&](int f) { return lensFor(f); });
    std::vector<std::optional<Pose>> poses(work_.poses.size());
    parallelFor(frames_, [&](int f) {
      if (seen[f].points.size() >= kFewest) poses[f] = poseOf(f, seen[f]);
    });
    std::vector<int> fresh;
    for (int f = 0; f < frames_; ++f) {
      if (!poses[f]) continue;
      if (!work_.focal_px.empty()) work_.focal_px[f] = work_.focalBetween(f);
      fresh.push_back(f);
    }
    for (const int f : fresh) work_.poses[f] = poses[f];
    return fresh;
  }

  Lens lensFor(int frame) const {
    Lens lens = work_.lensAt(frame);
    if (!work_.focal_px.empty()) lens.focal_px = work_.focalBetween(frame);
    return lens;
  }

  std::optional<Pose> poseOf(int frame, const SeenPoints& seen) const {
    const auto found = resect(seen.points, seen.rays, 1.5 * kRoughPx / lensFor(frame).focal_px, seed_ + static_cast<std::uint64_t>(frame));
    if (!found || found->inliers.size() < std::max(kFewest, seen.points.size() / 3)) return std::nullopt;
    return found->pose;
  }

  /// Frames that were placed before or after all others, with their neighbours held.
  void adjustRuns(const std::vector<int>& fresh, const Progress& progress) {
    std::vector<std::uint8_t> is_fresh(work_.poses.size(), 0);
    for (const int f : fresh) is_fresh[f] = 1;
    for (std::size_t i = 0; i < fresh.size() && !progress.stopRequested();) {
      std::size_t end = i + 1;
      while (end < fresh.size() && fresh[end] - fresh[end - 1] <= reach_) ++end;
      const int first = fresh[i], last = fresh[end - 1];
      if (!heldOnBothSides(first, last, is_fresh)) {
        adjustRun(first, last, is_fresh, progress);
        beyond_ += static_cast<int>(end - i);
      }
      i = end;
    }
  }

  /// Whether older frames lie on both sides, near enough to hold what is between.
  bool heldOnBothSides(int first, int last, const std::vector<std::uint8_t>& is_fresh) const {
    const auto any = [&](int from, int to) {
      for (int f = std::max(0, from); f <= std::min(frames_ - 1, to); ++f) {
        if (work_.poses[f] && !is_fresh[f]) return true;
      }
      return false;
    };
    return any(first - reach_, first - 1) && any(last + 1, last + reach_);
  }

  void adjustRun(int first, int last, const std::vector<std::uint8_t>& is_fresh, const Progress& progress) {
    FramePart part{std::vector<std::uint8_t>(work_.poses.size(), 0), std::vector<std::uint8_t>(work_.poses.size(), 1)};
    for (int f = std::max(0, first - kNeighbours); f <= std::min(frames_ - 1, last + kNeighbours); ++f) {
      part.in[f] = 1;
      part.held[f] = !is_fresh[f] || f < first || f > last;
    }
    BundleOptions options = adjusting_;
    options.free_lens = {}, options.lens_terms.clear();
    options.free_readout = false;
    options.max_steps = 10, options.settled = 1e-3;
    adjustReconstruction(work_, options, progress.silent(), part);
  }

  void adjustAll(const Progress& progress) {
    BundleOptions options = adjusting_;
    options.max_steps = 8, options.settled = 1e-3;
    adjustReconstruction(work_, options, progress.silent());
    placeTracks(work_, false, 0);
    sortOut(work_, kRoughLimits);
    beyond_ = 0;
  }

  Reconstruction& work_;
  const BundleOptions& adjusting_;
  const std::uint64_t seed_;
  const int frames_, reach_;
  int beyond_ = 0;  ///< Frames placed beyond the others since everything was adjusted.
};
}  // namespace

void placeAsBefore(Reconstruction& work, const Reconstruction& before, bool turn_only) {
  const int frames = static_cast<int>(work.poses.size());
  std::vector<std::optional<Pose>> poses(work.poses.size());
  const std::vector<int> nearest = work.nearestPlaced();
  for (int f = 0; f < frames; ++f) {
    const int near = work.poses[f] || !before.poses[f] ? -1 : nearest[f];
    if (near < 0 || !before.poses[near]) continue;
    const Pose &then = *before.poses[near], &now = *work.poses[near];
    const Eigen::Quaterniond turned = now.world_from_camera * then.world_from_camera.conjugate();
    if (!work.focal_px.empty()) work.focal_px[f] = before.focal_px[f] * work.focal_px[near] / before.focal_px[near];
    poses[f] = Pose{(turned * before.poses[f]->world_from_camera).normalized(), now.centre + turned * (before.poses[f]->centre - then.centre)};
  }
  if (!turn_only) refineOnPoints(work, poses);
  for (int f = 0; f < frames; ++f) {
    if (poses[f]) work.poses[f] = poses[f];
  }
}

int extendToMissing(Reconstruction& work, const BundleOptions& adjusting, std::uint64_t seed, const Progress& progress) {
  return Extender(work, adjusting, seed).run(progress);
}
}  // namespace dusky
