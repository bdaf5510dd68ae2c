#include "core/track/hand_track.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <map>

#include "core/image/pyramid.h"
#include "core/track/feature_points.h"
#include "core/track/hand_search.h"
#include "core/track/reference.h"

namespace dusky {
namespace {

constexpr double kBlend_px = 2;     // two ways between keys agree within this
constexpr float kSnapAgain_px = 2;  // the point found anew may lie so far from the patch's

template <class Points>
auto pointAt(Points& points, int frame) {
  return std::lower_bound(points.begin(), points.end(), frame, [](const HandPoint& p, int f) { return p.frame < f; });
}

/// The point that the kind marks near a place, if it has one.
std::optional<Eigen::Vector2f> marked(const FloatPlane& luma, const Eigen::Vector2f& near, HandKind kind, int radius) {
  if (kind == HandKind::Dot) return symmetryCentre(luma, near, radius);
  if (kind == HandKind::Crossing || kind == HandKind::Corner) return junctionPoint(luma, near, radius);
  return std::nullopt;
}

/// One way from one point.
struct Way {
  std::map<int, HandPoint> found;
  StopReason stop = StopReason::EndOfFootage;
  int asked = 0;
  bool cancelled = false;
};

class HandFollower {
 public:
  HandFollower(FrameSource& source, const HandTrack& track, const HandOptions& options, const Progress& progress)
      : source_(source), track_(track), options_(options), progress_(progress) {}

  /// Through `order`, which begins with the frame that the point is in.
  Result<Way> go(const std::vector<int>& order, const Vec2& from) {
    auto before = luma(order.front());
    if (!before.ok()) return before.error();
    position_ = from.cast<float>(), velocity_.setZero(), shape_.setIdentity();
    reference_ = Reference(*before, position_, track_.pattern_px);
    if (!reference_.usable())
      return invalidInput(fmt::format(
          "Frame {}: there is not enough texture here, or the picture's edge is too near. Place it elsewhere, or change the pattern's size.", order.front()));
    Way way{.asked = static_cast<int>(order.size()) - 1};
    for (std::size_t i = 1; i < order.size(); ++i) {
      if ((way.cancelled = progress_.stopRequested())) break;
      auto now = luma(order[i]);
      if (!now.ok()) return now.error();
      auto stop = step(*before, *now);
      if (const auto masked = underMask(order[i]); !masked.ok())
        return masked.error();
      else if (!stop && *masked)
        stop = StopReason::Masked;
      if (stop) {
        way.stop = *stop;
        break;
      }
      way.found[order[i]] = {order[i], position_.cast<double>(), false, likeness_};
      before = std::move(now);
      progress_.report(static_cast<double>(i) / static_cast<double>(order.size()), fmt::format("following {}, frame {}", track_.name, order[i]));
    }
    return way;
  }

 private:
  Result<bool> underMask(int frame) const {
    if (!options_.masks) return false;
    const auto left_out = options_.masks->leftOut(frame);
    if (!left_out.ok()) return left_out.error();
    return leftOutShare(*left_out, position_.cast<double>(), static_cast<float>(track_.pattern_px)) > kMostLeftOut;
  }

  Result<FloatPlane> luma(int frame) {
    auto read = source_.read(frame, FrameUse::Tracking);
    if (!read.ok()) return read.error();
    return soften(read->luma);
  }

  std::optional<StopReason> step(const FloatPlane& before, const FloatPlane& now) {
    const Eigen::Vector2f expected = position_ + velocity_;
    const auto search = static_cast<float>(track_.search_px);
    ReferenceMatch match = reference_.align(now, expected, shape_);
    if (match.likeness < 0.9f || (match.centre - expected).norm() > 2) {
      const auto place = searchAround(before, position_, now, expected, {track_.pattern_px, track_.search_px});
      if (!place) return StopReason::LeftPicture;
      const ReferenceMatch second = reference_.align(now, *place, shape_);
      if (second.likeness > match.likeness) match = second;
    }
    if (match.likeness < -0.5f) return StopReason::LeftPicture;
    if (match.likeness < static_cast<float>(options_.min_likeness)) return StopReason::Lost;
    if ((match.centre - expected).norm() > search) return StopReason::Lost;
    if (match.sigma_px > static_cast<float>(options_.max_sigma_px)) return StopReason::Ambiguous;
    Eigen::Vector2f place = match.centre;
    if (track_.kind == HandKind::Dot || track_.kind == HandKind::Crossing) {
      const auto point = marked(now, place, track_.kind, track_.pattern_px);
      if (!point || (*point - place).norm() > kSnapAgain_px) return StopReason::Drifted;
      place = *point;
    }
    velocity_ = place - position_;
    position_ = place;
    shape_ = match.shape;
    likeness_ = match.likeness;
    return renewWhenWornOut(now);
  }

  std::optional<StopReason> renewWhenWornOut(const FloatPlane& now) {
    if (!wornOut(shape_)) return std::nullopt;
    Reference fresh(now, position_, track_.pattern_px);
    if (!fresh.usable()) return StopReason::LeftPicture;
    reference_ = std::move(fresh);
    shape_.setIdentity();
    return std::nullopt;
  }

  FrameSource& source_;
  const HandTrack& track_;
  const HandOptions& options_;
  const Progress& progress_;
  Reference reference_;
  Eigen::Vector2f position_, velocity_;
  Eigen::Matrix2f shape_;
  float likeness_ = 1;
};

/// The frames from one on, in one direction, up to and with the next key; and that key.
struct Stretch {
  std::vector<int> order;
  const HandPoint* key = nullptr;
};

Stretch stretchFrom(const std::vector<int>& frames, const HandTrack& track, int from, int direction, int most) {
  Stretch stretch;
  const auto here = std::lower_bound(frames.begin(), frames.end(), from) - frames.begin();
  for (auto i = here; i >= 0 && i < static_cast<std::ptrdiff_t>(frames.size()); i += direction) {
    const int frame = frames[static_cast<std::size_t>(i)];
    stretch.order.push_back(frame);
    const HandPoint* point = track.at(frame);
    if (frame != from && point && point->keyed) return stretch.key = point, stretch;
    if (most > 0 && static_cast<int>(stretch.order.size()) > most) break;
  }
  return stretch;
}

/// Both ways between two keys as one: each counts the more the nearer its own key is. Frames where they part are left out.
std::map<int, HandPoint> blended(const Way& there, const Way& back, const std::vector<int>& order, int* parted) {
  std::map<int, HandPoint> both;
  const auto last = static_cast<double>(order.size() - 1);
  for (std::size_t i = 1; i + 1 < order.size(); ++i) {
    const auto a = there.found.find(order[i]), b = back.found.find(order[i]);
    const bool has_a = a != there.found.end(), has_b = b != back.found.end();
    if (has_a && has_b) {
      if ((a->second.position - b->second.position).norm() > kBlend_px) {
        ++*parted;
        continue;
      }
      const double t = static_cast<double>(i) / last;
      both[order[i]] = {order[i], (1 - t) * a->second.position + t * b->second.position, false, std::min(a->second.likeness, b->second.likeness)};
    } else if (has_a || has_b) {
      both[order[i]] = has_a ? a->second : b->second;
    }
  }
  return both;
}

std::string sentenceOf(const Stretch& stretch, std::size_t found, const Way& way, int parted) {
  const bool forward = stretch.order.size() < 2 || stretch.order[1] > stretch.order[0];
  std::string text = fmt::format("{} {} {}", forward ? "On" : "Back", found, found == 1 ? "frame" : "frames");
  if (way.cancelled) return text + ", stopped";
  if (stretch.key) text += fmt::format(" to the key in frame {}", stretch.key->frame);
  if (parted > 0) return text + fmt::format("; in {} frames the ways from both keys part: set a key between them", parted);
  if (static_cast<int>(found) + (stretch.key ? 1 : 0) < way.asked) text += fmt::format(", then {}", describe(way.stop));
  return text;
}
}  // namespace

const HandPoint* HandTrack::at(int frame) const {
  const auto found = pointAt(points, frame);
  return found != points.end() && found->frame == frame ? &*found : nullptr;
}

void HandTrack::putKey(int frame, const Vec2& position) {
  const auto place = pointAt(points, frame);
  if (place != points.end() && place->frame == frame)
    *place = {frame, position, true, 1};
  else
    points.insert(place, {frame, position, true, 1});
}

void HandTrack::remove(int first, int last) {
  std::erase_if(points, [&](const HandPoint& p) { return p.frame >= first && p.frame <= last; });
}

Track HandTrack::track() const {
  Track made{.id = id, .color = color, .stop = stop, .start = start, .kind = TrackKind::ByHand};
  for (const HandPoint& p : points) made.observations.push_back({p.frame, p.position});
  const auto key = std::find_if(points.begin(), points.end(), [](const HandPoint& p) { return p.keyed; });
  if (key != points.end()) made.born_frame = key->frame;
  return made;
}

Result<HandTrack> followByHand(FrameSource& source, const std::vector<int>& frames, HandTrack track, const HandOptions& options, const Progress& progress,
                               std::string* note) {
  const HandPoint* from = track.at(options.frame);
  if (!from || !std::binary_search(frames.begin(), frames.end(), options.frame))
    return invalidInput(fmt::format("{} has no place in frame {}. Put a key there first.", track.name.empty() ? "The track" : track.name, options.frame));
  const HandPoint start = *from;
  HandFollower follower(source, track, options, progress);
  std::string said;
  HandTrack result = track;
  for (const int direction : {1, -1}) {
    if (direction > 0 ? !options.forward : !options.backward) continue;
    const Stretch stretch = stretchFrom(frames, track, options.frame, direction, options.frames);
    if (stretch.order.size() < 2) continue;
    auto way = follower.go(stretch.order, start.position);
    if (!way.ok()) return way.error();
    std::map<int, HandPoint> found = std::move(way->found);
    int parted = 0;
    if (stretch.key && !way->cancelled) {
      way->found = found;
      auto back = follower.go({stretch.order.rbegin(), stretch.order.rend()}, stretch.key->position);
      if (!back.ok()) return back.error();
      found = blended(*way, *back, stretch.order, &parted);
    }
    // What was followed here before gives way; keys never do.
    const int a = std::min(stretch.order[1], stretch.order.back()), b = std::max(stretch.order[1], stretch.order.back());
    std::erase_if(result.points, [&](const HandPoint& p) { return p.frame >= a && p.frame <= b && !p.keyed; });
    for (const auto& [frame, point] : found) {
      const auto place = pointAt(result.points, frame);
      if (place == result.points.end() || place->frame != frame) result.points.insert(place, point);
    }
    if (!stretch.key) (direction > 0 ? result.stop : result.start) = way->stop;
    said += (said.empty() ? "" : " ") + sentenceOf(stretch, found.size(), *way, parted) + ".";
  }
  if (note) *note = said;
  return result;
}

Vec2 snapped(const FloatPlane& luma, const Vec2& pointed, HandKind kind, int pattern_px) {
  const auto point = marked(luma, pointed.cast<float>(), kind, pattern_px);
  if (!point || (point->cast<double>() - pointed).norm() > 0.5 * pattern_px) return pointed;
  return point->cast<double>();
}

std::string_view describe(HandKind kind) {
  switch (kind) {
    case HandKind::Patch: return "patch";
    case HandKind::Corner: return "corner";
    case HandKind::Dot: return "dot";
    case HandKind::Crossing: return "crossing";
  }
  return "";
}
}  // namespace dusky
