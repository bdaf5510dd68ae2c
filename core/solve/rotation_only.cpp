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
std::optional<Eigen::Quaterniond> turnOf(const Views& views, const Reconstruction& work, int frame, const std::vector<std::pair<int, int>>& seen_here,
                                         const Vec3& centre, double least_share, std::uint64_t seed) {
  std::vector<Vec3> rays, directions;
  for (const auto& [t, i] : seen_here) {
    const WorkTrack& track = work.tracks[t];
    if (!track.point) continue;
    const auto ray = views.ray(frame, track.observations[i].seen);
    const Vec3 direction = track.at_infinity ? *track.point : Vec3(*track.point - centre);
    if (!ray || direction.norm() < 1e-9) continue;
    rays.push_back(ray->homogeneous().normalized());
    directions.push_back(direction.normalized());
  }
  if (rays.size() < kFewest) return std::nullopt;
  const auto turn = rotationBetweenDirections(rays, directions, kTolerancePx / views.lens(frame).focal_px, seed);
  if (!turn || static_cast<double>(turn->inliers.size()) < least_share * static_cast<double>(rays.size()) || turn->inliers.size() < kFewest)
    return std::nullopt;
  return turn->to_from;
}

/// Directions of the tracks seen in a frame that have none yet.
void addDirections(const Views& views, Reconstruction& work, int frame, const std::vector<std::pair<int, int>>& seen_here) {
  for (const auto& [t, i] : seen_here) {
    WorkTrack& track = work.tracks[t];
    if (track.point) continue;
    const auto ray = views.ray(frame, track.observations[i].seen);
    if (!ray) continue;
    track.at_infinity = true;
    track.point = work.poses[frame]->direction(ray->homogeneous().normalized());
    track.reason = AsideReason::None;
  }
}

}  // namespace

std::optional<Turning> rotateOnly(const Reconstruction& start, const std::vector<int>& frames, const SkeletonStart& with, std::uint64_t seed,
                                  const Progress& progress) {
  Turning turning{start};
  Reconstruction& work = turning.work;
  beginWithLens(work, frames, with);
  for (WorkTrack& track : work.tracks) track.point.reset(), track.at_infinity = false;
  const auto by_frame = tracksByFrame(work);
  // A second time under the lens that the first told: what did not fit a rough one may now.
  for (int round = 0; round < 2; ++round) {
    const int before = turning.placed_frames;
    for (const int frame : frames) {
      if (work.poses[frame]) continue;
      const Views views(work);
      if (turning.placed_frames == 0) {
        work.poses[frame] = Pose{};
      } else if (const auto turn = turnOf(views, work, frame, by_frame[frame], Vec3::Zero(), 0.3, seed + static_cast<std::uint64_t>(frame))) {
        work.poses[frame] = Pose{*turn, Vec3::Zero()};
      } else {
        continue;
      }
      ++turning.placed_frames;
      addDirections(views, work, frame, by_frame[frame]);
    }
    if (turning.placed_frames < 2) return std::nullopt;
    if (turning.placed_frames == before) break;
    adjustReconstruction(work, {.free_lens = with.free_lens, .fixed_centres = true, .loss_px = 1.5, .max_steps = 40, .settled = 1e-5}, progress);
  }
  turning.median_error_px = errorSpread(work) * 1.1774;
  return turning;
}

int placeRotations(Reconstruction& work, std::uint64_t seed) {
  const auto by_frame = tracksByFrame(work);
  const Views views(work);
  int placed = 0;
  for (const auto& [frame, near] : missingNearFirst(work)) {
    if (near < 0) continue;
    const auto turn = turnOf(views, work, frame, by_frame[frame], Vec3::Zero(), 0.3, seed + static_cast<std::uint64_t>(frame));
    if (!turn) continue;
    work.poses[frame] = Pose{*turn, Vec3::Zero()};
    addDirections(views, work, frame, by_frame[frame]);
    ++placed;
  }
  return placed;
}

std::vector<int> holdAndRotate(Reconstruction& work, std::uint64_t seed) {
  const auto by_frame = tracksByFrame(work);
  const Views views(work);  // of its lenses, which stay
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
      addDirections(views, work, near, by_frame[near]);
      const Vec3 centre = work.poses[near]->centre;
      const auto turn = turnOf(views, work, frame, by_frame[frame], centre, 0.5, seed + static_cast<std::uint64_t>(frame));
      if (!turn) continue;
      work.poses[frame] = Pose{*turn, centre};
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
