#include "core/track/follow_features.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>

#include "core/mask/mask_keys.h"
#include "core/track/follower.h"
#include "core/track/large_pictures.h"

namespace dusky {
namespace {

constexpr int kRefillEvery = 3;  // frames
constexpr double kThin = 0.75;   // share of the wanted features below which new ones are looked for at once
constexpr double kPartialEvery_s = 0.4;
constexpr double kShareForward = 0.6;  // of the progress

/// How a track moves when time runs back from its birth, px a frame, by its first step forward.
Eigen::Vector2f velocityBefore(const Track& track) {
  const auto& seen = track.observations;
  return seen.size() > 1 ? Eigen::Vector2f((seen[0].position - seen[1].position).cast<float>()) : Eigen::Vector2f::Zero();
}

DetectOptions detectOptionsOf(const FollowOptions& options, const LeftOut& left_out) {
  DetectOptions detect{.count = options.features, .min_strength = options.min_strength, .min_distance_px = options.min_distance_px, .sizes = options.sizes};
  detect.margin_px = std::max(options.edge_margin_px, options.patch_radius + 5);
  detect.allowed = [&](const Vec2& place) { return leftOutShare(left_out, place, options.patch_radius) == 0; };
  return detect;
}

/// One run of tracking, forward and back.
class Run {
 public:
  Run(FrameSource& source, const FollowOptions& options, const FollowScope& scope, std::vector<int> frames, const Progress& progress,
      const std::function<void(TrackSetPtr)>& on_partial)
      : source_(source),
        options_(options),
        scope_(scope),
        frames_(std::move(frames)),
        progress_(progress),
        on_partial_(on_partial),
        store_(options.both_ways ? scope.keep_bytes : 0) {}

  Status go() {
    if (const Status done = forward(); !done.ok()) return done;
    return options_.both_ways && !cancelled_ ? backward() : Status(Done{});
  }
  TrackSetPtr result() const;

 private:
  template <class Visit>
  Status eachFrame(std::vector<int> order, const Visit& visit);
  bool bearsIn(int frame) const;
  bool bearsAfter(int frame) const;
  Status forward();
  Status backward();
  Result<LeftOut> leftOut(int frame);
  void noteBarren(int frame, const std::vector<Vec2>& places);
  void refill(Follower& follower, const PreparedFrame& now, const LeftOut& left_out);
  void birth(Follower& follower, const PreparedFrame& now, const Feature& feature);
  bool tell(double fraction, std::string what);
  std::vector<Track> grown() const;
  std::shared_ptr<TrackSet> compose(std::vector<Track> grown) const;

  FrameSource& source_;
  const FollowOptions& options_;
  const FollowScope& scope_;
  const std::vector<int> frames_;
  const Progress& progress_;
  const std::function<void(TrackSetPtr)>& on_partial_;
  LumaStore store_;
  std::vector<Growing> tracks_;
  std::vector<std::uint8_t> barren_;  ///< See TrackSet.
  std::vector<Appearance> ends_, beginnings_;
  Stopwatch watch_;
  double told_s_ = 0, decode_s_ = 0, detect_s_ = 0, forward_s_ = 0, backward_s_ = 0;
  int since_refill_ = 0, frames_read_ = 0;
  bool cancelled_ = false;
};

/// Reads frames in this order and hands each on, with the one before it (none for the first) and what is left out of it, until `visit`
/// says false.
template <class Visit>
Status Run::eachFrame(std::vector<int> order, const Visit& visit) {
  FrameReader reader(source_, std::move(order), store_);
  std::optional<PreparedFrame> before;
  bool go_on = true;
  while (go_on) {
    auto next = reader.next();
    if (!next) break;
    if (!next->ok()) return next->error();
    const auto left_out = leftOut((*next)->number);
    if (!left_out.ok()) return left_out.error();
    go_on = visit(before, **next, *left_out);
    before = std::move(**next);
  }
  decode_s_ += reader.busySeconds();
  return Done{};
}

/// Whether new features may be born in a frame; and whether any may later.
bool Run::bearsIn(int frame) const {
  const FrameRange& births = scope_.births;
  return (births.first == 0 && births.last == 0) || (frame >= births.first && frame <= births.last);
}

bool Run::bearsAfter(int frame) const { return (scope_.births.first == 0 && scope_.births.last == 0) || frame < scope_.births.last; }

Status Run::forward() {
  Follower follower(options_, Follower::Direction::Forward, tracks_);
  std::vector<int> order = frames_;
  if (scope_.births.first != 0 || scope_.births.last != 0) order.erase(order.begin(), std::lower_bound(order.begin(), order.end(), scope_.births.first));
  const double share = options_.both_ways ? kShareForward : 1;
  const double frames = static_cast<double>(order.size());
  const Status read = eachFrame(std::move(order), [&](const std::optional<PreparedFrame>& before, const PreparedFrame& now, const LeftOut& left_out) {
    const Stopwatch step;
    if (before) follower.advance(*before, now, left_out);
    forward_s_ += step.seconds();
    if (bearsIn(now.number)) refill(follower, now, left_out);
    ++frames_read_;
    return tell(share * frames_read_ / frames, fmt::format("tracking frame {} of {}–{}", now.number, frames_.front(), frames_.back())) &&
           (follower.livingCount() > 0 || bearsAfter(now.number));
  });
  ends_ = follower.looks();
  beginnings_ = follower.earlyLooks();
  return read;
}

Status Run::backward() {
  // From the last frame that something was found in; what was found in the first frame has no past.
  std::vector<std::vector<std::size_t>> born(frames_.size());
  std::size_t at = 0;
  for (std::size_t i = 0; i < tracks_.size(); ++i) {
    const auto index = static_cast<std::size_t>(std::lower_bound(frames_.begin(), frames_.end(), tracks_[i].track.born()) - frames_.begin());
    born[index].push_back(i);
    at = std::max(at, index);
  }
  if (at == 0) return Done{};
  born.front().clear();
  std::size_t earliest = 0;
  while (earliest < at && born[earliest].empty()) ++earliest;
  const auto frames = static_cast<double>(at + 1);
  Follower follower(options_, Follower::Direction::Backward, tracks_);
  std::vector<int> order(frames_.begin(), frames_.begin() + static_cast<std::ptrdiff_t>(at) + 1);
  std::reverse(order.begin(), order.end());
  const Status read = eachFrame(std::move(order), [&](const std::optional<PreparedFrame>& before, const PreparedFrame& now, const LeftOut& left_out) {
    const Stopwatch step;
    if (before) follower.advance(*before, now, left_out);
    for (const std::size_t track : born[at]) follower.add(track, now, velocityBefore(tracks_[track].track));
    backward_s_ += step.seconds();
    const double done = frames - static_cast<double>(at--);
    return tell(kShareForward + (1 - kShareForward) * done / frames, fmt::format("tracking back, frame {}", now.number)) &&
           (follower.livingCount() > 0 || at + 1 > earliest);
  });
  beginnings_.insert(beginnings_.end(), follower.looks().begin(), follower.looks().end());
  return read;
}

Result<LeftOut> Run::leftOut(int frame) { return scope_.masks ? scope_.masks->leftOut(frame) : Result<LeftOut>(LeftOut()); }

void Run::refill(Follower& follower, const PreparedFrame& now, const LeftOut& left_out) {
  std::vector<Vec2> taken = follower.places();
  if (scope_.existing) {
    for (const Track& track : scope_.existing->tracks) {
      if (const Observation* o = track.at(now.number)) taken.push_back(o->position);
    }
  }
  // Looking for new features costs as much as following many: every few frames, sooner when many were lost.
  const double full = static_cast<double>(taken.size()) / options_.features;
  if (full > kThin && since_refill_++ < kRefillEvery) return;
  since_refill_ = 1;
  const Stopwatch watch;
  DetectOptions detect = detectOptionsOf(options_, left_out);
  if (!scope_.region.empty()) {
    detect.allowed = [&, masks_allow = detect.allowed](const Vec2& place) { return insideLine(scope_.region, place) && masks_allow(place); };
  }
  const std::vector<Feature> found = detectFeatures(now.pyramid, taken, detect);
  for (const Feature& feature : found) {
    birth(follower, now, feature);
    taken.push_back(feature.position);
  }
  if (scope_.region.empty()) noteBarren(now.number, taken);
  detect_s_ += watch.seconds();
}

/// Where even with all that the detector found a cell stays thin, there is nothing to track: in this frame and until it is looked at again.
void Run::noteBarren(int frame, const std::vector<Vec2>& places) {
  constexpr int kWorthTracking = 3, kCells = TrackSet::kCellColumns * TrackSet::kCellRows;
  TrackSet size{.width = source_.info().width, .height = source_.info().height};
  std::vector<int> counts(kCells, 0);
  for (const Vec2& place : places) ++counts[static_cast<std::size_t>(size.cellOf(place))];
  barren_.resize(frames_.size() * kCells, 0);
  const auto index = static_cast<std::size_t>(std::lower_bound(frames_.begin(), frames_.end(), frame) - frames_.begin());
  for (std::size_t f = index; f < frames_.size(); ++f) {
    for (std::size_t cell = 0; cell < kCells; ++cell) barren_[f * kCells + cell] = counts[cell] < kWorthTracking;
  }
}

void Run::birth(Follower& follower, const PreparedFrame& now, const Feature& feature) {
  // What leaves the picture at once is not worth a track.
  const Eigen::Vector2f velocity = follower.velocityNear(feature.position);
  const Vec2 soon = feature.position + 2.0 * velocity.cast<double>();
  if (soon.x() < 0 || soon.y() < 0 || soon.x() >= now.pyramid.base().width || soon.y() >= now.pyramid.base().height) return;
  Growing growing;
  Track& track = growing.track;
  track.size = feature.size;
  track.born_frame = now.number;
  track.observations.push_back({now.number, feature.position});
  const double scale = static_cast<double>(now.small.width) / now.pyramid.base().width;
  const Vec2 at = scale * feature.position;
  track.color = now.small.at(std::min(static_cast<int>(at.x()), now.small.width - 1), std::min(static_cast<int>(at.y()), now.small.height - 1));
  tracks_.push_back(std::move(growing));
  if (!follower.add(tracks_.size() - 1, now, velocity)) tracks_.pop_back();
}

/// False when the artist wants to stop.
bool Run::tell(double fraction, std::string what) {
  progress_.report(fraction, std::move(what));
  if (on_partial_ && watch_.seconds() - told_s_ > kPartialEvery_s) {
    told_s_ = watch_.seconds();
    on_partial_(compose(grown()));
  }
  cancelled_ = progress_.stopRequested();
  return !cancelled_;
}

std::vector<Track> Run::grown() const {
  std::vector<Track> all;
  int id = scope_.existing && !scope_.existing->tracks.empty() ? scope_.existing->tracks.back().id : 0;
  for (const Growing& growing : tracks_) {
    all.push_back(growing.whole());
    all.back().id = ++id;
  }
  return all;
}

std::shared_ptr<TrackSet> Run::compose(std::vector<Track> grown) const {
  auto set = std::make_shared<TrackSet>();
  set->width = source_.info().width, set->height = source_.info().height;
  set->first_frame = frames_.front(), set->last_frame = frames_.back();
  if (static_cast<int>(frames_.size()) != set->last_frame - set->first_frame + 1) set->used_frames = frames_;
  set->textureless = barren_;
  if (scope_.existing) set->tracks = scope_.existing->tracks, set->textureless = scope_.existing->textureless;
  std::erase_if(grown, [&](const Track& track) { return track.life() < options_.min_life; });
  std::move(grown.begin(), grown.end(), std::back_inserter(set->tracks));
  return set;
}

TrackSetPtr Run::result() const {
  std::vector<Track> all = grown();
  RejoinSummary rejoined;
  if (options_.rejoin && !cancelled_) rejoined = rejoinTracks(all, ends_, beginnings_, options_.patch_radius);
  const auto found = all.size();
  auto set = compose(std::move(all));
  TrackSummary& s = set->summary;
  s.termination = cancelled_ ? Termination::Cancelled : Termination::Settled;
  s.frames = frames_read_;
  s.found = static_cast<int>(tracks_.size());
  s.rejoined = rejoined.joined;
  s.too_short = static_cast<int>(found - (set->tracks.size() - (scope_.existing ? scope_.existing->tracks.size() : 0)));
  s.decode_s = decode_s_, s.detect_s = detect_s_, s.forward_s = forward_s_, s.backward_s = backward_s_;
  s.track_s = detect_s_ + forward_s_ + backward_s_;
  s.total_s = watch_.seconds();
  return set;
}

}  // namespace

Status FollowOptions::check() const {
  const auto outside = [](std::string_view name, double value, double low, double high) {
    return invalidInput(fmt::format("{} must be {} to {}, not {}.", name, low, high, value));
  };
  if (features < 20 || features > 20000) return outside("Features at one time", features, 20, 20000);
  // Endless ones could not be written down.
  constexpr double kMost = 1e6;
  const auto is_over_0 = [](double value) { return value > 0 && value <= kMost; };
  if (!is_over_0(min_strength)) return invalidInput(fmt::format("Corner strength must be over 0, to {:g}, not {}.", kMost, min_strength));
  if (!(min_distance_px >= 4 && min_distance_px <= 200)) return outside("Distance between features", min_distance_px, 4, 200);
  if (!sizes.any()) return invalidInput("Choose at least one size of features: fine, medium or coarse.");
  if (edge_margin_px < 0 || edge_margin_px > 500) return outside("Margin at the picture's edge", edge_margin_px, 0, 500);
  if (patch_radius < 4 || patch_radius > 30) return outside("Patch radius", patch_radius, 4, 30);
  if (min_life < 2 || min_life > 100) return outside("Shortest life", min_life, 2, 100);
  if (!is_over_0(max_return_px)) return invalidInput(fmt::format("Forward–backward tolerance must be over 0, to {:g} px, not {}.", kMost, max_return_px));
  if (!(min_likeness > 0 && min_likeness < 1)) return outside("Likeness", min_likeness, 0, 1);
  if (!is_over_0(max_occluded))
    return invalidInput(fmt::format("The difference allowed in a part of a patch must be over 0, to {:g}, not {}.", kMost, max_occluded));
  if (!is_over_0(max_sigma_px)) return invalidInput(fmt::format("The largest uncertainty must be over 0, to {:g} px, not {}.", kMost, max_sigma_px));
  return Done{};
}

std::vector<Feature> candidatesIn(const Pyramid& pyramid, const FollowOptions& options, const LeftOut& left_out) {
  return detectFeatures(pyramid, {}, detectOptionsOf(options, left_out));
}

Result<std::vector<int>> framesToFollow(const FootageInfo& info, const FollowOptions& options, const FollowScope& scope) {
  const auto range = rangeIn(info, {options.first_frame, options.last_frame});
  if (!range.ok()) return range.error();
  const auto [first, last] = *range;
  if (scope.step < 1) return invalidInput(fmt::format("Every n-th frame: n must be 1 or more, not {}.", scope.step));
  std::vector<int> frames;
  for (int frame = first; frame <= last; frame += scope.step) {
    if (info.has(frame) && !std::binary_search(scope.left_out.begin(), scope.left_out.end(), frame)) frames.push_back(frame);
  }
  if (frames.empty()) return invalidInput(fmt::format("No frame of {}–{} is left to look at.", first, last));
  return frames;
}

Result<TrackSetPtr> followFeatures(FrameSource& source, const FollowOptions& options, const Progress& progress, const FollowScope& scope,
                                   const std::function<void(TrackSetPtr)>& on_partial) {
  if (const Status fine = options.check(); !fine.ok()) return fine.error();
  if (trackedReduction(source.info().width) > 1) return followInLargePictures(source, options, progress, scope, on_partial);
  auto frames = framesToFollow(source.info(), options, scope);
  if (!frames.ok()) return frames.error();
  Run run(source, options, scope, std::move(*frames), progress, on_partial);
  if (const Status done = run.go(); !done.ok()) return done.error();
  return run.result();
}

}  // namespace dusky
