#include "core/track/rejoin.h"

#include <algorithm>
#include <cmath>
#include <map>
#include <numeric>

#include "core/base/parallel.h"
#include "core/geometry/fundamental.h"
#include "core/track/detect.h"
#include "core/track/reference.h"
#include "core/track/sampling.h"

namespace dusky {
namespace {

constexpr std::array<float, 3> kScales = {1.0f, 0.7f, 1.4f};  // of the radius described, for changes of scale
constexpr int kAlike = 90000;                                 // squared distance of descriptors
constexpr double kClearlyAlike = 0.72;                        // of the next one's squared distance
constexpr float kSameLikeness = 0.9f, kSameOccluded = 0.15f, kFarthestShift_px = 1.5f;
constexpr double kAgree_px = 2.0;  // of the two views
constexpr int kFewestPairs = 12;

struct Join {
  int end = 0, beginning = 0;
  Vec2 shift = Vec2::Zero();  ///< From the later track's point to the earlier one's, full-size px.
};

FloatPlane asFloat(const Plane<std::uint8_t>& bytes) {
  FloatPlane plane(bytes.width, bytes.height);
  std::copy(bytes.data.begin(), bytes.data.end(), plane.data.begin());
  return plane;
}

Eigen::Vector2f middleOf(const FloatPlane& plane) { return {0.5f * static_cast<float>(plane.width), 0.5f * static_cast<float>(plane.height)}; }

/// Appearance with their descriptors, one a scale.
struct Described {
  const Appearance* looks = nullptr;
  std::array<std::optional<Descriptor>, 3> at_scale;
};

/// Descriptors of those whose tracks live long enough to matter, in their order.
std::vector<Described> describeAll(const std::vector<Appearance>& all, const std::vector<Track>& tracks, int patch_radius, std::size_t scales) {
  constexpr int kLeastLife = 3;
  std::vector<Described> described;
  for (const Appearance& looks : all) {
    if (tracks[looks.track].life() >= kLeastLife) described.push_back({&looks, {}});
  }
  parallelFor(static_cast<int>(described.size()), [&](int i) {
    const FloatPlane piece = asFloat(described[i].looks->piece);
    for (std::size_t k = 0; k < scales; ++k) described[i].at_scale[k] = describeAt(piece, middleOf(piece), kScales[k] * static_cast<float>(patch_radius));
  });
  return described;
}

/// Least distance over the scales where it is under the limit; else any number from the limit on.
int distanceBetween(const Described& end, const Described& beginning, int limit) {
  int least = limit;
  for (const auto& d : end.at_scale) {
    if (d) least = std::min(least, d->distanceWithin(*beginning.at_scale[0], least));
  }
  return least;
}

/// Ends by the size of their feature, each in the order of their frames: what a beginning may follow is the first part of one list.
using EndsBySize = std::array<std::vector<const Described*>, 3>;

EndsBySize bySize(const std::vector<Described>& ends) {
  EndsBySize sorted;
  for (const Described& end : ends) sorted[static_cast<std::size_t>(end.looks->size)].push_back(&end);
  for (auto& list : sorted)
    std::stable_sort(list.begin(), list.end(), [](const Described* a, const Described* b) { return a->looks->seen.frame < b->looks->seen.frame; });
  return sorted;
}

/// The end that looks most like a beginning, when it does so clearly; nullptr otherwise. Ends of one place count as one.
const Described* bestEnd(const EndsBySize& ends, const Described& beginning) {
  const Appearance& begin = *beginning.looks;
  // A distance from here on is too large to be taken and too large to make another one doubtful.
  constexpr int kFar = static_cast<int>(kAlike / kClearlyAlike) + 1;
  const Described* best = nullptr;
  int least = kFar, next = kFar;
  for (const Described* end : ends[static_cast<std::size_t>(begin.size)]) {
    if (end->looks->seen.frame >= begin.seen.frame) break;
    if (end->looks->track == begin.track) continue;
    const int distance = distanceBetween(*end, beginning, next);
    if (distance < least) {
      next = least, least = distance;
      best = end;
    } else {
      next = std::min(next, distance);
    }
  }
  return least < kAlike && least < kClearlyAlike * next ? best : nullptr;
}

/// Aligns the earlier piece within the later one; nothing when they are not the same thing.
std::optional<Vec2> shiftBetween(const Described& end, const Described& beginning, int patch_radius) {
  const FloatPlane before = asFloat(end.looks->piece), after = asFloat(beginning.looks->piece);
  Reference reference(before, middleOf(before), patch_radius);
  if (!reference.usable()) return std::nullopt;
  std::optional<ReferenceMatch> best;
  for (std::size_t k = 0; k < kScales.size(); ++k) {
    if (!end.at_scale[k]) continue;
    // A radius of 0.7 that looks like 1 now means that the thing has grown by 1 / 0.7.
    const float turn = beginning.at_scale[0]->direction_rad - end.at_scale[k]->direction_rad;
    const Eigen::Matrix2f shape = Eigen::Rotation2Df(turn).toRotationMatrix() / kScales[k];
    const ReferenceMatch match = reference.align(after, middleOf(after), shape);
    if (!reference.usable()) return std::nullopt;
    if (!best || match.likeness > best->likeness) best = match;
  }
  if (!best || best->likeness < kSameLikeness || best->occluded > kSameOccluded) return std::nullopt;
  const Eigen::Vector2f shift = best->centre - middleOf(after);
  if (shift.norm() > kFarthestShift_px) return std::nullopt;
  return (pxOf(end.looks->size) * shift).cast<double>();
}

std::vector<Join> joinsByAppearance(const std::vector<Track>& tracks, const std::vector<Appearance>& all_ends, const std::vector<Appearance>& all_beginnings,
                                    int patch_radius) {
  const std::vector<Described> ends = describeAll(all_ends, tracks, patch_radius, kScales.size());
  const std::vector<Described> beginnings = describeAll(all_beginnings, tracks, patch_radius, 1);
  const EndsBySize sorted = bySize(ends);
  std::vector<std::optional<Join>> found(beginnings.size());
  parallelFor(static_cast<int>(beginnings.size()), [&](int b) {
    const Described* end = beginnings[b].at_scale[0] ? bestEnd(sorted, beginnings[b]) : nullptr;
    if (!end) return;
    const auto shift = shiftBetween(*end, beginnings[b], patch_radius);
    if (shift) found[b] = Join{static_cast<int>(end->looks - all_ends.data()), static_cast<int>(beginnings[b].looks - all_beginnings.data()), *shift};
  });
  std::vector<Join> joins;
  for (const auto& join : found) {
    if (join) joins.push_back(*join);
  }
  return joins;
}

/// What the tracks say about two frames: where things of the one are in the other.
class TwoFrames {
 public:
  TwoFrames(const std::vector<Track>& tracks, const std::vector<Join>& joins, const std::vector<Appearance>& ends, const std::vector<Appearance>& beginnings,
            int from, int to) {
    for (const Track& track : tracks) {
      const Observation *a = track.at(from), *b = track.at(to);
      if (a && b) add(a->position, b->position);
    }
    // With nothing in common but what was matched, the matches judge each other.
    for (const Join& join : joins) {
      const Observation *a = tracks[ends[join.end].track].at(from), *b = tracks[beginnings[join.beginning].track].at(to);
      if (a && b) add(a->position, b->position + join.shift);
    }
    if (static_cast<int>(a_.size()) < kFewestPairs) return;
    const RobustOptions options{.tolerance = kAgree_px};
    epipolar_ = fitEpipolar(a_, b_, options);
    homography_ = fitHomography(a_, b_, options);
    // Where a plane or a turn on the spot explains nearly all, it says more than a line.
    flat_ = static_cast<double>(homography_.inliers.size()) > 0.85 * static_cast<double>(epipolar_.inliers.size());
  }
  bool agrees(const Vec2& a, const Vec2& b) const {
    if (static_cast<int>(epipolar_.inliers.size()) < kFewestPairs) return false;
    if (flat_) return ((homography_.homography * a.homogeneous()).hnormalized() - b).norm() < 2 * kAgree_px;
    const Vec3 line = epipolarLine(epipolar_.fundamental, a);
    return std::abs(line.head<2>().dot(b) + line.z()) < kAgree_px;
  }

 private:
  void add(const Vec2& a, const Vec2& b) {
    a_.push_back(a);
    b_.push_back(b);
  }
  std::vector<Vec2> a_, b_;
  EpipolarFit epipolar_;
  HomographyFit homography_;
  bool flat_ = false;
};

/// Keeps the joins that two-view geometry allows. Joins of about the same pair of moments are judged together.
std::vector<Join> allowedByGeometry(const std::vector<Track>& tracks, const std::vector<Join>& joins, const std::vector<Appearance>& ends,
                                    const std::vector<Appearance>& beginnings) {
  constexpr int kMoment = 6;  // frames
  std::map<std::pair<int, int>, std::vector<Join>> groups;
  for (const Join& join : joins) groups[{ends[join.end].seen.frame / kMoment, beginnings[join.beginning].seen.frame / kMoment}].push_back(join);
  std::vector<Join> allowed;
  for (const auto& [moments, group] : groups) {
    std::vector<int> from, to;
    for (const Join& join : group) from.push_back(ends[join.end].seen.frame), to.push_back(beginnings[join.beginning].seen.frame);
    const int first = *std::min_element(from.begin(), from.end()), last = *std::max_element(to.begin(), to.end());
    if (first >= last) continue;
    const TwoFrames views(tracks, joins, ends, beginnings, first, last);
    for (const Join& join : group) {
      const Observation *a = tracks[ends[join.end].track].at(first), *b = tracks[beginnings[join.beginning].track].at(last);
      if (a && b && views.agrees(a->position, b->position + join.shift)) allowed.push_back(join);
    }
  }
  return allowed;
}

}  // namespace

std::optional<Appearance> appearanceAt(const Pyramid& pyramid, int track, const Observation& seen, FeatureSize size, int patch_radius) {
  const int level = levelOf(size);
  const FloatPlane& plane = pyramid.levels[level];
  const Eigen::Vector2f place = seen.position.cast<float>() / pxOf(size);
  const int reach = static_cast<int>(reachOfAppearance(patch_radius)), side = 2 * reach + 1;
  if (!canSampleSquare(plane, place, static_cast<float>(reach))) return std::nullopt;
  Appearance looks{track, seen, size, Plane<std::uint8_t>(side, side)};
  const int stride = strideOf(side);
  std::vector<float> block(static_cast<std::size_t>(side) * stride);
  sampleSquare(plane, place.x() - static_cast<float>(reach), place.y() - static_cast<float>(reach), side, block.data());
  for (int y = 0; y < side; ++y) {
    for (int x = 0; x < side; ++x) looks.piece.at(x, y) = static_cast<std::uint8_t>(std::clamp(block[y * stride + x] + 0.5f, 0.0f, 255.0f));
  }
  return looks;
}

RejoinSummary rejoinTracks(std::vector<Track>& tracks, const std::vector<Appearance>& ends, const std::vector<Appearance>& beginnings, int patch_radius) {
  RejoinSummary summary;
  const std::vector<Join> matched = joinsByAppearance(tracks, ends, beginnings, patch_radius);
  std::vector<Join> allowed = allowedByGeometry(tracks, matched, ends, beginnings);
  summary.matched = static_cast<int>(matched.size());
  summary.refused = summary.matched - static_cast<int>(allowed.size());
  // In order of time; each end and each beginning only once.
  std::stable_sort(allowed.begin(), allowed.end(),
                   [&](const Join& a, const Join& b) { return beginnings[a.beginning].seen.frame < beginnings[b.beginning].seen.frame; });
  std::vector<int> into(tracks.size());
  std::iota(into.begin(), into.end(), 0);
  std::vector<Vec2> moved(tracks.size(), Vec2::Zero());
  std::vector<bool> continued(tracks.size(), false);
  for (const Join& join : allowed) {
    const int earlier = ends[join.end].track, later = beginnings[join.beginning].track;
    if (continued[earlier] || into[later] != later) continue;
    const int root = into[earlier];
    Track& whole = tracks[root];
    if (whole.lastFrame() >= tracks[later].firstFrame()) continue;
    continued[earlier] = true;
    into[later] = root;
    moved[later] = moved[earlier] + join.shift;
    for (const Observation& o : tracks[later].observations) whole.observations.push_back({o.frame, o.position + moved[later]});
    whole.stop = tracks[later].stop;
    ++summary.joined;
  }
  std::vector<Track> left;
  for (std::size_t i = 0; i < tracks.size(); ++i) {
    if (into[i] == static_cast<int>(i)) left.push_back(std::move(tracks[i]));
  }
  tracks = std::move(left);
  return summary;
}

}  // namespace dusky
