#include "core/dense/keyframes.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <numbers>

#include "core/base/numbers.h"

namespace dusky {
namespace {

constexpr double kDegree = std::numbers::pi / 180;
constexpr double kBestAngle_rad = 6 * kDegree, kBelow_rad = 3 * kDegree, kAbove_rad = 12 * kDegree;
/// At which views tell the same.
constexpr double kSameAngle_rad = 2 * kDegree;
constexpr double kLeastParallax_rad = 0.25 * kDegree;
constexpr std::size_t kLeastShared = 8;

/// A frame and the points in it, ascending.
struct Looking {
  const SolvedFrame* frame;
  std::vector<std::size_t> points;
};

bool tells(const SolvedTrack& track) { return track.state == TrackState::Kept && !track.at_infinity; }

std::vector<Looking> lookingFrames(const Solution& solution) {
  std::vector<Looking> all;
  std::vector<std::size_t> by_number;
  const auto& frames = solution.frames;
  if (frames.empty()) return all;
  const int first = frames.front().frame;
  by_number.assign(static_cast<std::size_t>(frames.back().frame - first) + 1, frames.size());
  for (const SolvedFrame& frame : frames) {
    if (!frame.placed) continue;
    by_number[static_cast<std::size_t>(frame.frame - first)] = all.size();
    all.push_back({&frame, {}});
  }
  for (std::size_t k = 0; k < solution.tracks.size(); ++k) {
    if (!tells(solution.tracks[k])) continue;
    for (const TrackError& error : solution.tracks[k].errors) {
      const auto at = static_cast<std::size_t>(error.frame - first);
      if (error.frame >= first && at < by_number.size() && by_number[at] < all.size()) all[by_number[at]].points.push_back(k);
    }
  }
  return all;
}

/// What two frames have in common.
struct Pair {
  std::size_t shared = 0;
  double angle_rad = 0;  ///< The middle one of the shared points.
  double score = 0;
};

double angleBetween(const Vec3& a, const Vec3& b) { return std::atan2(a.cross(b).norm(), a.dot(b)); }

/// How well a point's depth is told by views at an angle: 0 to 1.
double worthOf(double angle_rad) {
  const double off = (angle_rad - kBestAngle_rad) / (angle_rad < kBestAngle_rad ? kBelow_rad : kAbove_rad);
  return std::exp(-0.5 * off * off);
}

Pair pairOf(const Solution& solution, const Looking& a, const Looking& b) {
  Pair pair;
  std::vector<std::size_t> shared;
  std::set_intersection(a.points.begin(), a.points.end(), b.points.begin(), b.points.end(), std::back_inserter(shared));
  pair.shared = shared.size();
  std::vector<double> angles;
  for (const std::size_t k : shared) {
    const Vec3 &p = solution.tracks[k].point, from_a = p - a.frame->pose.centre, from_b = p - b.frame->pose.centre;
    angles.push_back(angleBetween(from_a, from_b));
    const double scale = from_a.norm() / from_b.norm();
    pair.score += worthOf(angles.back()) * std::min(scale, 1 / scale);
  }
  if (!angles.empty()) pair.angle_rad = median(std::move(angles));
  return pair;
}

/// Evenly along the way that the view goes: by parallax, and by how much of what it sees goes.
std::vector<std::size_t> evenly(const Solution& solution, const std::vector<Looking>& frames, const KeyframeOptions& options) {
  constexpr double kLostPerStep = 0.1;
  std::vector<double> way(frames.size(), 0);
  for (std::size_t k = 1; k < frames.size(); ++k) {
    const Pair pair = pairOf(solution, frames[k - 1], frames[k]);
    const double lost = 1 - static_cast<double>(pair.shared) / static_cast<double>(std::max<std::size_t>(1, frames[k - 1].points.size()));
    const double turned = angleBetween(frames[k - 1].frame->pose.direction(Vec3::UnitZ()), frames[k].frame->pose.direction(Vec3::UnitZ()));
    way[k] = way[k - 1] + pair.angle_rad / (options.step_deg * kDegree) + std::min(lost / kLostPerStep, turned / (5 * kDegree));
  }
  const int wanted = std::clamp(static_cast<int>(std::lround(way.back())) + 1, 5, options.most);
  std::vector<std::size_t> chosen;
  for (int i = 0; i < wanted; ++i) {
    const double at = way.back() * i / (wanted - 1);
    const auto found = static_cast<std::size_t>(std::lower_bound(way.begin(), way.end(), at - 1e-12) - way.begin());
    const std::size_t k = std::min(found, frames.size() - 1);
    if (chosen.empty() || k > chosen.back()) chosen.push_back(k);
  }
  return chosen;
}

/// The best for one keyframe, one after the other: what lies near one that was chosen adds little.
std::vector<std::size_t> othersOf(std::size_t key, const std::vector<std::vector<Pair>>& pairs, std::size_t most) {
  std::vector<std::size_t> chosen;
  std::vector<double> score(pairs.size());
  for (std::size_t j = 0; j < pairs.size(); ++j) score[j] = j == key || pairs[key][j].shared < kLeastShared ? 0 : pairs[key][j].score;
  while (chosen.size() < most) {
    const auto best = std::max_element(score.begin(), score.end());
    if (best == score.end() || !(*best > 0)) break;
    const auto j = static_cast<std::size_t>(best - score.begin());
    chosen.push_back(j);
    score[j] = 0;
    for (std::size_t k = 0; k < score.size(); ++k) {
      const double near = pairs[j][k].shared < kLeastShared ? 1 : pairs[j][k].angle_rad / kSameAngle_rad;
      score[k] *= 1 - 0.6 * std::exp(-near * near);
    }
  }
  return chosen;
}

}  // namespace

Result<std::vector<Keyframe>> chooseKeyframes(const Solution& solution, const KeyframeOptions& options) {
  const std::vector<Looking> frames = lookingFrames(solution);
  if (frames.size() < 3)
    return invalidInput(fmt::format("Dense points need at least 3 frames with a camera; there are {}. Solve more of the shot.", frames.size()));
  const std::vector<std::size_t> at = evenly(solution, frames, options);
  std::vector<std::vector<Pair>> pairs(at.size(), std::vector<Pair>(at.size()));
  for (std::size_t i = 0; i < at.size(); ++i) {
    for (std::size_t j = i + 1; j < at.size(); ++j) pairs[i][j] = pairs[j][i] = pairOf(solution, frames[at[i]], frames[at[j]]);
  }
  std::vector<Keyframe> keys;
  double widest = 0;
  for (std::size_t i = 0; i < at.size(); ++i) {
    Keyframe key{.frame = frames[at[i]].frame->frame, .others = othersOf(i, pairs, options.others)};
    if (!key.others.empty()) key.parallax_rad = pairs[i][key.others.front()].angle_rad;
    widest = std::max(widest, key.parallax_rad);
    keys.push_back(std::move(key));
  }
  if (solution.motion == MotionKind::Nodal || widest < kLeastParallax_rad)
    return invalidInput(fmt::format("The camera {}: without parallax nothing tells how deep the set is. Dense points need a camera that moves through the set.",
                                    solution.motion == MotionKind::Nodal ? "only rotates" : "hardly moves beside how far the set is"));
  return keys;
}

Result<DepthReach> depthReach(const Solution& solution, const SolvedFrame& frame) {
  std::vector<double> depths;
  for (const SolvedTrack& track : solution.tracks) {
    if (!tells(track)) continue;
    const bool seen = std::any_of(track.errors.begin(), track.errors.end(), [&](const TrackError& error) { return error.frame == frame.frame; });
    const double depth = frame.pose.toCamera(track.point).z();
    if (seen && depth > 0) depths.push_back(depth);
  }
  if (depths.size() < kLeastShared)
    return invalidInput(fmt::format("Frame {} shows {} points of known depth: too few to say how far the set reaches there.", frame.frame, depths.size()));
  std::sort(depths.begin(), depths.end());
  constexpr double kRoom = 1.6;
  const std::size_t cut = depths.size() / 50;
  return DepthReach{depths[cut] / kRoom, depths[depths.size() - 1 - cut] * kRoom};
}

}  // namespace dusky
