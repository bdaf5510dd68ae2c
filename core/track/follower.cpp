#include "core/track/follower.h"

#include <algorithm>
#include <cmath>

#include "core/base/parallel.h"
#include "core/track/patch.h"
#include "core/track/sampling.h"

namespace dusky {
namespace {

constexpr int kSearchLevels = 4;
constexpr int kSearchRadius = 7;      // of the patch that is searched for from frame to frame
constexpr float kLooksRight = 0.85f;  // likeness that makes a search needless
constexpr float kLeap_px = 4;         // the same for the way from the expected place, px of the level

bool insidePicture(const FloatPlane& plane, const Eigen::Vector2f& p, float margin) {
  return p.x() > margin && p.y() > margin && p.x() < static_cast<float>(plane.width) - margin && p.y() < static_cast<float>(plane.height) - margin;
}

/// Coarse to fine by shift alone, from one frame to the other. Nothing where it leaves the picture or looks different.
std::optional<Eigen::Vector2f> search(const Pyramid& from, const Pyramid& to, const Eigen::Vector2f& place, const Eigen::Vector2f& guess) {
  Eigen::Vector2f found = guess;
  bool any = false;
  for (int level = std::min(kSearchLevels, static_cast<int>(from.levels.size())) - 1; level >= 0; --level) {
    const float px = static_cast<float>(1 << level);
    const Patch patch(from.levels[level], place / px, kSearchRadius);
    if (!patch.usable()) continue;
    const PatchMatch match = patch.align(to.levels[level], found / px, level == 0 ? 8 : 12);
    if (match.likeness < 0.4f && level > 0) continue;  // a coarse level may hold too little; the finer ones decide
    if (match.likeness < 0.4f) return std::nullopt;
    found = match.centre * px;
    any = true;
  }
  return any ? std::optional(found) : std::nullopt;
}

/// Radius of the piece of picture that is compared for a feature of a size, px of its level.
int patchRadiusOf(FeatureSize size, const FollowOptions& options) {
  return size == FeatureSize::Fine ? std::max(4, (2 * options.patch_radius + 1) / 3) : options.patch_radius;
}
}  // namespace

bool Growing::has(int frame) const {
  const auto is = [frame](const Observation& o) { return o.frame == frame; };
  return track.at(frame) || std::any_of(earlier.begin(), earlier.end(), is);
}

Track Growing::whole() const {
  Track all = track;
  all.observations.insert(all.observations.begin(), earlier.rbegin(), earlier.rend());
  return all;
}

bool Follower::add(std::size_t track, const PreparedFrame& now, const Eigen::Vector2f& velocity) {
  const Track& grown = tracks_[track].track;
  Living one;
  one.track = track;
  one.size = grown.size;
  one.position = grown.at(grown.born())->position.cast<float>();
  one.velocity = velocity;
  one.sharpness = now.sharpness;
  const float px = pxOf(one.size);
  one.reference = Reference(now.pyramid.levels[levelOf(one.size)], one.position / px, patchRadiusOf(one.size, options_));
  if (!one.reference.usable()) return false;
  one.born_at_edge = !insidePicture(now.pyramid.base(), one.position, px * (reachOfAppearance(one.reference.radius()) + 3));
  living_.push_back(std::move(one));
  return true;
}

std::vector<Vec2> Follower::places() const {
  std::vector<Vec2> all;
  for (const Living& one : living_) all.push_back(one.position.cast<double>());
  return all;
}

Eigen::Vector2f Follower::velocityNear(const Vec2& place) const {
  const Living* nearest = nullptr;
  float least = 0;
  for (const Living& one : living_) {
    const float distance = (one.position - place.cast<float>()).squaredNorm();
    if (!nearest || distance < least) nearest = &one, least = distance;
  }
  return nearest ? nearest->velocity : Eigen::Vector2f::Zero();
}

void Follower::advance(const PreparedFrame& before, const PreparedFrame& now, const LeftOut& left_out) {
  parallelFor(
      static_cast<int>(living_.size()),
      [&](int i) {
        if (i + 1 < static_cast<int>(living_.size())) fetch(now, living_[i + 1]);
        step(before, now, left_out, living_[i]);
      },
      8);
  for (Living& one : living_) {
    if (one.stop)
      finish(before, one);
    else
      goOn(now, one);
  }
  std::erase_if(living_, [](const Living& one) { return one.stop.has_value(); });
}

std::vector<Observation>& Follower::observationsOf(const Living& one) {
  return direction_ == Direction::Forward ? tracks_[one.track].track.observations : tracks_[one.track].earlier;
}

/// How it looks in a frame that it is in; nothing when nobody will ask.
std::optional<Appearance> Follower::lookAt(const PreparedFrame& frame, const Living& one) const {
  if (!options_.rejoin) return std::nullopt;
  return appearanceAt(frame.pyramid, static_cast<int>(one.track), {frame.number, one.position.cast<double>()}, one.size, one.reference.radius());
}

void Follower::goOn(const PreparedFrame& now, const Living& one) {
  auto& observations = observationsOf(one);
  observations.push_back({now.number, one.position.cast<double>()});
  // Born at the edge it could not be recognised by; a little later it can.
  constexpr std::size_t kLater = 8;
  if (direction_ != Direction::Forward || !one.born_at_edge || observations.size() != kLater) return;
  if (auto looks = lookAt(now, one)) early_looks_.push_back(std::move(*looks));
}

void Follower::finish(const PreparedFrame& before, Living& one) {
  Growing& growing = tracks_[one.track];
  (direction_ == Direction::Forward ? growing.track.stop : growing.track.start) = *one.stop;
  auto& observations = observationsOf(one);
  // What hid it or pulled it away was often beginning to.
  const std::size_t least = direction_ == Direction::Forward ? 1 : 0;
  if ((*one.stop == StopReason::Lost || *one.stop == StopReason::Drifted) && observations.size() > least) observations.pop_back();
  const Observation last = observations.empty() ? growing.track.observations.front() : observations.back();
  const bool ahead = last.frame == before.number || *one.stop == StopReason::Lost || *one.stop == StopReason::Drifted;
  if (!one.looks && ahead) one.looks = lookAt(before, one);
  if (!one.looks) return;
  if (!growing.has(one.looks->seen.frame)) one.looks->seen = last;
  looks_.push_back(std::move(*one.looks));
}

/// Too near to the edge there is not enough left to recognise it by.
void Follower::rememberNearEdge(const PreparedFrame& now, Living& one) const {
  const float reach = pxOf(one.size) * (reachOfAppearance(one.reference.radius()) + 2);
  const Eigen::Vector2f soon = one.position + 4 * one.velocity;
  if (one.looks || insidePicture(now.pyramid.base(), soon, reach)) return;
  one.looks = lookAt(now, one);
}

/// Asks for the rows of the picture about a feature while another one is worked on.
void Follower::fetch(const PreparedFrame& now, const Living& one) {
  const float px = pxOf(one.size);
  const FloatPlane& plane = now.pyramid.levels[levelOf(one.size)];
  const Eigen::Vector2f corner = (one.position + one.velocity) / px - Eigen::Vector2f::Constant(static_cast<float>(one.reference.radius() + 2));
  const int side = 2 * one.reference.radius() + 5;
  if (!canSample(plane, corner.x(), corner.y()) || !canSample(plane, corner.x() + static_cast<float>(side), corner.y() + static_cast<float>(side))) return;
  for (int y = 0; y < side; ++y) {
    const float* row = plane.row(static_cast<int>(corner.y()) + y) + static_cast<int>(corner.x());
    for (int x = 0; x < side; x += 16) __builtin_prefetch(row + x);
  }
}

void Follower::step(const PreparedFrame& before, const PreparedFrame& now, const LeftOut& left_out, Living& one) const {
  const auto match = find(before, now, one);
  if (!match) return;  // find() said why
  const float px = pxOf(one.size);
  const Eigen::Vector2f found = match->centre * px;
  if (match->sigma_px * px > static_cast<float>(options_.max_sigma_px)) return void(one.stop = StopReason::Ambiguous);
  if (leftOutShare(left_out, found.cast<double>(), px * static_cast<float>(one.reference.radius())) > kMostLeftOut) return void(one.stop = StopReason::Masked);
  if (match->occluded > static_cast<float>(options_.max_occluded * (2 - softness(now, one)))) return void(one.stop = StopReason::Lost);
  if (!returns(before, now, one, found)) return void(one.stop = StopReason::Drifted);
  one.velocity = found - one.position;
  one.position = found;
  one.shape = match->shape;
  rememberNearEdge(now, one);
  renewWhenWornOut(now, one);
}

/// Blur costs likeness without costing the place: a frame softer than the one the reference is from is forgiven a part. 1: as sharp.
double Follower::softness(const PreparedFrame& now, const Living& one) const { return one.sharpness > 0 ? std::min(1.0, now.sharpness / one.sharpness) : 1.0; }

std::optional<ReferenceMatch> Follower::find(const PreparedFrame& before, const PreparedFrame& now, Living& one) const {
  const int level = levelOf(one.size);
  const float px = pxOf(one.size);
  const FloatPlane& plane = now.pyramid.levels[level];
  const Eigen::Vector2f expected = one.position + one.velocity;
  const auto least = static_cast<float>(options_.min_likeness - 0.3 * (1 - softness(now, one)));
  ReferenceMatch match = one.reference.align(plane, expected / px, one.shape);
  if (match.likeness > std::max(kLooksRight, least) && (match.centre - expected / px).norm() < kLeap_px) return match;
  auto moved = search(before.pyramid, now.pyramid, one.position, expected);
  if (!moved) moved = search(before.pyramid, now.pyramid, one.position, one.position);
  if (!moved) {
    const bool at_edge = !insidePicture(now.pyramid.base(), expected, px * static_cast<float>(one.reference.radius() + 6));
    one.stop = at_edge ? StopReason::LeftPicture : StopReason::Lost;
    return std::nullopt;
  }
  match = one.reference.align(plane, *moved / px, one.shape);
  if (!one.reference.usable() || match.likeness < -0.5f) return one.stop = StopReason::LeftPicture, std::nullopt;
  if (match.likeness < least) return one.stop = StopReason::Lost, std::nullopt;
  if ((match.centre - *moved / px).norm() > 2) return one.stop = StopReason::Drifted, std::nullopt;
  return match;
}

/// Whether what was found now leads back to where it came from, by itself.
bool Follower::returns(const PreparedFrame& before, const PreparedFrame& now, const Living& one, const Eigen::Vector2f& found) const {
  const int level = levelOf(one.size);
  const float px = pxOf(one.size);
  const Patch patch(now.pyramid.levels[level], found / px, kSearchRadius);
  if (!patch.usable()) return false;
  const Eigen::Vector2f start = found - one.velocity;  // beside the goal, so that coming back says something
  const PatchMatch match = patch.align(before.pyramid.levels[level], start / px, 12);
  return match.likeness > 0.4f && (match.centre * px - one.position).norm() < static_cast<float>(options_.max_return_px) * px;
}

void Follower::renewWhenWornOut(const PreparedFrame& now, Living& one) const {
  if (!wornOut(one.shape)) return;
  Reference fresh(now.pyramid.levels[levelOf(one.size)], one.position / pxOf(one.size), one.reference.radius());
  if (!fresh.usable()) return void(one.stop = StopReason::LeftPicture);
  one.reference = std::move(fresh);
  one.shape.setIdentity();
  one.sharpness = now.sharpness;
}
}  // namespace dusky
