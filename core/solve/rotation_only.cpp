#include "core/solve/rotation_only.h"

#include <cmath>
#include <set>

#include "core/base/numbers.h"
#include "core/geometry/rotation_fit.h"
#include "core/solve/sort_out.h"

namespace dusky {
namespace {

constexpr double kTolerancePx = 6.0;
constexpr std::size_t kFewest = 8;

/// Tracks by frame: index and observation.
std::vector<std::vector<std::pair<int, int>>> tracksByFrame(const Reconstruction& work) {
  std::vector<std::vector<std::pair<int, int>>> by_frame(work.poses.size());
  for (std::size_t t = 0; t < work.tracks.size(); ++t) {
    if (work.tracks[t].holdout || work.tracks[t].by_artist || work.tracks[t].resting) continue;
    for (std::size_t i = 0; i < work.tracks[t].observations.size(); ++i)
      by_frame[work.tracks[t].observations[i].frame_index].emplace_back(static_cast<int>(t), static_cast<int>(i));
  }
  return by_frame;
}

/// Frames without a camera in the order of their distance from one that has one, with that one.
std::vector<std::pair<int, int>> missingNearFirst(const Reconstruction& work) {
  const int count = static_cast<int>(work.poses.size());
  std::vector<std::pair<int, int>> missing;
  const std::vector<int> nearest = work.nearestPlaced();
  for (int f = 0; f < count; ++f) {
    if (!work.poses[f]) missing.emplace_back(f, nearest[f]);
  }
  std::stable_sort(missing.begin(), missing.end(), [](const auto& a, const auto& b) { return std::abs(a.first - a.second) < std::abs(b.first - b.second); });
  return missing;
}

/// The turn that shows known directions where they were seen.
struct Turned {
  Eigen::Quaterniond rotation;
  int agree = 0;
};
std::optional<Turned> turnOf(const Reconstruction& work, int frame, const std::vector<std::pair<int, int>>& seen_here, const Vec3& centre, double least_share,
                             std::uint64_t seed) {
  const Lens lens = work.lensAt(frame);
  std::vector<Vec3> rays, directions;
  for (const auto& [t, i] : seen_here) {
    const WorkTrack& track = work.tracks[t];
    if (!track.point) continue;
    const auto ray = lens.ray(track.observations[i].seen);
    const Vec3 direction = track.at_infinity ? *track.point : Vec3(*track.point - centre);
    if (!ray || direction.norm() < 1e-9) continue;
    rays.push_back(*ray);
    directions.push_back(direction.normalized());
  }
  if (rays.size() < kFewest) return std::nullopt;
  const auto turn = rotationBetweenDirections(rays, directions, kTolerancePx / lens.focal_px, seed);
  if (!turn || static_cast<double>(turn->inliers.size()) < least_share * static_cast<double>(rays.size()) || turn->inliers.size() < kFewest)
    return std::nullopt;
  return Turned{turn->to_from, static_cast<int>(turn->inliers.size())};
}

/// Directions of the tracks seen in a frame that have none yet.
void addDirections(Reconstruction& work, int frame, const std::vector<std::pair<int, int>>& seen_here) {
  const Lens lens = work.lensAt(frame);
  for (const auto& [t, i] : seen_here) {
    WorkTrack& track = work.tracks[t];
    if (track.point) continue;
    const auto ray = lens.ray(track.observations[i].seen);
    if (!ray) continue;
    track.at_infinity = true;
    track.point = work.poses[frame]->direction(*ray);
    track.reason = AsideReason::None;
  }
}

/// How much larger one frame shows things than another: median over pairs of common tracks of the ratio of their distances. A rotation changes them little.
double growthBetween(const Reconstruction& work, int from, const std::vector<std::pair<int, int>>& seen_in_to) {
  std::vector<Vec2> a, b;
  for (const auto& [t, i] : seen_in_to) {
    const auto& seen = work.tracks[t].observations;
    const auto earlier = std::lower_bound(seen.begin(), seen.end(), from, [](const WorkObservation& o, int frame) { return o.frame_index < frame; });
    if (earlier != seen.end() && earlier->frame_index == from) a.push_back(earlier->seen), b.push_back(seen[i].seen);
  }
  constexpr double kFarEnough_px = 20;
  std::vector<double> ratios;
  const std::size_t count = a.size();
  for (std::size_t i = 0; i < count; ++i) {
    // Each with a few others, far down the list: places of any distance.
    for (const std::size_t step : {count / 2, count / 3, count / 5}) {
      const std::size_t j = (i + std::max<std::size_t>(step, 1)) % count;
      const double length = (a[i] - a[j]).norm();
      if (length > kFarEnough_px) ratios.push_back((b[i] - b[j]).norm() / length);
    }
  }
  return ratios.size() < kFewest ? 1 : median(std::move(ratios));
}

/// A turn for one frame; for a zoom with the focal length of those about the likeliest that most tracks agree with.
bool placeRotation(Reconstruction& work, int frame, int before, const std::vector<std::pair<int, int>>& seen_here, std::uint64_t seed) {
  static const std::vector<double> longer = {1, 0.97, 1.03, 0.92, 1.08};
  const bool zoom = !work.focal_px.empty();
  const double near = zoom && before >= 0 ? work.focal_px[before] * growthBetween(work, before, seen_here) : work.lens().focal_px;
  std::optional<Turned> best;
  double focal = near;
  for (std::size_t i = 0; i < (zoom ? longer.size() : 1); ++i) {
    if (zoom) work.focal_px[frame] = near * longer[i];
    const auto turn = turnOf(work, frame, seen_here, Vec3::Zero(), 0.3, seed + static_cast<std::uint64_t>(frame));
    if (turn && (!best || turn->agree > best->agree + best->agree / 20)) best = turn, focal = near * longer[i];
  }
  if (zoom) work.focal_px[frame] = focal;
  if (best) work.poses[frame] = Pose{best->rotation, Vec3::Zero()};
  return best.has_value();
}

}  // namespace

std::optional<Turning> rotateOnly(const Reconstruction& start, const std::vector<int>& frames, const SkeletonStart& with, std::uint64_t seed,
                                  const Progress& progress) {
  Turning turning{start};
  Reconstruction& work = turning.work;
  beginWithLens(work, frames, with);
  for (WorkTrack& track : work.tracks) track.point.reset(), track.at_infinity = false;
  const auto by_frame = tracksByFrame(work);
  const auto adjust = [&](int steps) {
    adjustReconstruction(
        work, {.free_lens = with.free_lens, .prior = roughPrior(with.lens.model), .fixed_centres = true, .loss_px = 1.5, .max_steps = steps, .settled = 1e-5},
        progress);
  };
  int before_it = -1;
  // A second time under the lens that the first told: what did not fit a rough one may now.
  for (int round = 0; round < 2; ++round) {
    const int before = turning.placed_frames;
    for (const int frame : frames) {
      if (work.poses[frame]) continue;
      if (turning.placed_frames == 0)
        work.poses[frame] = Pose{};
      else if (!placeRotation(work, frame, before_it, by_frame[frame], seed))
        continue;
      before_it = frame;
      ++turning.placed_frames;
      addDirections(work, frame, by_frame[frame]);
      if (with.zoom && turning.placed_frames % 4 == 0) adjust(8);
    }
    if (turning.placed_frames < 2) return std::nullopt;
    if (turning.placed_frames == before) break;
    adjust(40);
  }
  turning.median_error_px = errorSpread(work) * kMedianOfSpread;
  return turning;
}

int placeRotations(Reconstruction& work, std::uint64_t seed) {
  for (std::size_t f = 0; f < work.focal_px.size(); ++f) {
    if (!work.poses[f]) work.focal_px[f] = work.focalBetween(static_cast<int>(f));
  }
  const auto by_frame = tracksByFrame(work);
  int placed = 0;
  for (const auto& [frame, near] : missingNearFirst(work)) {
    if (near < 0 || !placeRotation(work, frame, near, by_frame[frame], seed)) continue;
    addDirections(work, frame, by_frame[frame]);
    ++placed;
  }
  return placed;
}

std::vector<int> holdAndRotate(Reconstruction& work, std::uint64_t seed) {
  const auto by_frame = tracksByFrame(work);
  const int count = static_cast<int>(work.poses.size());
  const auto placed = [&](int f) { return f >= 0 && f < count && work.poses[f].has_value(); };
  // Frames without a camera beside one that has one; from there outwards, a frame on each side at a time.
  std::set<int> edge;
  for (int f = 0; f < count; ++f) {
    if (!placed(f) && (placed(f - 1) || placed(f + 1))) edge.insert(f);
  }
  std::vector<int> held;
  for (bool more = true; more;) {
    more = false;
    std::vector<std::pair<int, int>> round;
    for (const int f : edge) round.emplace_back(f, placed(f - 1) ? f - 1 : f + 1);
    for (const auto& [frame, near] : round) {
      // What is seen there for the first time counts as far until more frames say how deep it is.
      addDirections(work, near, by_frame[near]);
      const Vec3 centre = work.poses[near]->centre;
      const auto turn = turnOf(work, frame, by_frame[frame], centre, 0.5, seed + static_cast<std::uint64_t>(frame));
      if (!turn) continue;
      work.poses[frame] = Pose{turn->rotation, centre};
      held.push_back(frame);
      edge.erase(frame);
      for (const int next : {frame - 1, frame + 1}) {
        if (next >= 0 && next < count && !placed(next)) edge.insert(next);
      }
      more = true;
    }
  }
  std::sort(held.begin(), held.end());
  return held;
}

}  // namespace dusky
