#include "core/track/follow_features.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <optional>
#include <thread>

#include "core/base/bounded_queue.h"
#include "core/base/parallel.h"
#include "core/track/patch.h"

namespace dusky {
namespace {

constexpr int kLevels = 4;        // of the frame-to-frame search
constexpr int kLevelsBack = 2;    // of the search back, which knows about where to look
constexpr int kRefillEvery = 3;   // frames
constexpr double kThin = 0.75;    // share of the wanted features below which new ones are looked for at once
constexpr int kSearchRadius = 7;  // its patch

struct Prepared {
  int number = 0;
  Picture picture;
  Pyramid pyramid;
};

/// A feature on its way.
struct Living {
  std::size_t track = 0;  ///< Index into the list of tracks.
  int level = 0;
  Eigen::Vector2f position, velocity = Eigen::Vector2f::Zero();  ///< Full-size px, px per frame.
  Patch reference;                                               ///< As it was when found (or last renewed).
  Eigen::Matrix2f shape = Eigen::Matrix2f::Identity();           ///< Reference to now.
  std::optional<StopReason> stop;
};

bool insidePicture(const FloatPlane& plane, const Eigen::Vector2f& p, float margin) {
  return p.x() > margin && p.y() > margin && p.x() < static_cast<float>(plane.width) - margin && p.y() < static_cast<float>(plane.height) - margin;
}

/// Coarse to fine by shift alone, from one frame to the other. Nothing where it leaves the picture or looks different.
std::optional<Eigen::Vector2f> search(const Pyramid& from, const Pyramid& to, const Eigen::Vector2f& place, const Eigen::Vector2f& guess,
                                      int levels = kLevels) {
  Eigen::Vector2f found = guess;
  bool any = false;
  for (int level = std::min(levels, static_cast<int>(from.levels.size())) - 1; level >= 0; --level) {
    const float size = static_cast<float>(1 << level);
    const Patch patch(from.levels[level], place / size, kSearchRadius, Patch::Motion::Shift);
    if (!patch.usable()) continue;
    const PatchMatch match = patch.align(to.levels[level], {found / size, Eigen::Matrix2f::Identity()}, level == 0 ? 8 : 12);
    if (match.likeness < 0.4f && level > 0) continue;  // a coarse level may hold too little; the finer ones decide
    if (match.likeness < 0.4f) return std::nullopt;
    found = match.warp.centre * size;
    any = true;
  }
  return any ? std::optional(found) : std::nullopt;
}

class Follower {
 public:
  Follower(const FollowOptions& options, TrackSet& result) : options_(options), result_(result) {}

  void step(const Prepared* before, const Prepared& now) {
    if (before) advance(*before, now);
    refill(now);
  }
  /// Closes what still lives.
  void finish() {
    for (const Living& one : living_) result_.tracks[one.track].stop = StopReason::EndOfFootage;
  }

 private:
  void advance(const Prepared& before, const Prepared& now) {
    parallelFor(
        static_cast<int>(living_.size()), [&](int i) { followOne(before, now, living_[i]); }, 8);
    for (const Living& one : living_) {
      Track& track = result_.tracks[one.track];
      if (one.stop)
        track.stop = *one.stop;
      else
        track.observations.push_back({now.number, one.position.cast<double>()});
    }
    std::erase_if(living_, [](const Living& one) { return one.stop.has_value(); });
  }

  void followOne(const Prepared& before, const Prepared& now, Living& one) const {
    auto moved = search(before.pyramid, now.pyramid, one.position, one.position + one.velocity);
    if (!moved) moved = search(before.pyramid, now.pyramid, one.position, one.position);
    const float margin = static_cast<float>((options_.patch_radius + 3) << one.level);
    if (!moved) {
      const bool at_edge = !insidePicture(now.pyramid.base(), one.position + one.velocity, margin + 4);
      one.stop = at_edge ? StopReason::LeftPicture : StopReason::Lost;
      return;
    }
    const FloatPlane& plane = now.pyramid.levels[one.level];
    const float size = static_cast<float>(1 << one.level);
    const PatchMatch match = one.reference.align(plane, {*moved / size, one.shape}, 14);
    if (match.likeness < -0.5f) return void(one.stop = StopReason::LeftPicture);
    if (match.likeness < static_cast<float>(options_.min_likeness)) return void(one.stop = StopReason::Lost);
    const Eigen::Vector2f refined = match.warp.centre * size;
    if ((refined - *moved).norm() > 2.0f * size) return void(one.stop = StopReason::Drifted);
    const auto back = search(now.pyramid, before.pyramid, refined, refined - (*moved - one.position), kLevelsBack);
    if (!back || (*back - one.position).norm() > static_cast<float>(options_.max_return_px) * size) return void(one.stop = StopReason::Drifted);
    one.velocity = refined - one.position;
    one.position = refined;
    one.shape = match.warp.matrix;
    renewWhenWornOut(plane, size, one);
  }

  /// A reference seen much larger, smaller or more slanted than it was cut no longer localises well: cut it anew here.
  void renewWhenWornOut(const FloatPlane& plane, float size, Living& one) const {
    const float area = std::abs(one.shape.determinant());
    if (area > 0.4f && area < 2.5f) return;
    Patch fresh(plane, one.position / size, options_.patch_radius, Patch::Motion::Affine);
    if (!fresh.usable()) return void(one.stop = StopReason::LeftPicture);
    one.reference = std::move(fresh);
    one.shape.setIdentity();
  }

  void refill(const Prepared& now) {
    // Looking for new features costs as much as following many: every few frames, sooner when many were lost.
    const double full = static_cast<double>(living_.size()) / options_.features;
    if (full > kThin && since_refill_++ < kRefillEvery) return;
    since_refill_ = 1;
    std::vector<Vec2> taken;
    for (const Living& one : living_) taken.push_back(one.position.cast<double>());
    const DetectOptions detect{
        .count = options_.features, .min_strength = options_.min_strength, .min_distance_px = options_.min_distance_px, .margin_px = options_.patch_radius + 5};
    for (const Feature& feature : detectFeatures(now.pyramid, taken, detect)) birth(now, feature);
  }

  void birth(const Prepared& now, const Feature& feature) {
    Living one;
    one.level = feature.level;
    one.position = feature.position.cast<float>();
    one.reference =
        Patch(now.pyramid.levels[feature.level], one.position / static_cast<float>(1 << feature.level), options_.patch_radius, Patch::Motion::Affine);
    if (!one.reference.usable()) return;
    one.track = result_.tracks.size();
    Track track;
    track.id = static_cast<int>(result_.tracks.size()) + 1;
    track.color = now.picture.at(static_cast<int>(feature.position.x()), static_cast<int>(feature.position.y()));
    track.observations.push_back({now.number, one.position.cast<double>()});
    result_.tracks.push_back(std::move(track));
    living_.push_back(std::move(one));
  }

  const FollowOptions& options_;
  TrackSet& result_;
  std::vector<Living> living_;
  int since_refill_ = 0;
};

/// Decodes ahead on a thread of its own.
class Reader {
 public:
  Reader(FrameSource& source, int first, int last) : thread_([this, &source, first, last](const std::stop_token& stop) { run(source, first, last, stop); }) {}
  ~Reader() { queue_.close(); }
  std::optional<Result<Prepared>> next() { return queue_.pop(); }
  double busySeconds() const { return busy_s_; }

 private:
  void run(FrameSource& source, int first, int last, const std::stop_token& stop) {
    for (int number = first; number <= last && !stop.stop_requested(); ++number) {
      const Stopwatch watch;
      Result<Frame> frame = source.read(number);
      if (!frame.ok()) {
        queue_.push(frame.error());
        break;
      }
      Prepared prepared{number, std::move(frame->picture), buildPyramid(std::move(frame->luma), kLevels)};
      busy_s_ = busy_s_ + watch.seconds();
      if (!queue_.push(std::move(prepared))) return;
    }
    queue_.close();
  }

  BoundedQueue<Result<Prepared>> queue_{3};
  std::atomic<double> busy_s_ = 0;
  std::jthread thread_;
};

std::shared_ptr<TrackSet> withoutShortLives(const TrackSet& all, int min_life) {
  auto kept = std::make_shared<TrackSet>(all);
  std::erase_if(kept->tracks, [&](const Track& t) { return t.life() < min_life; });
  return kept;
}

Status checkRange(const FootageInfo& info, int first, int last) {
  if (first >= info.first && last <= info.last && first <= last) return Done{};
  return invalidInput(fmt::format("Frames {}–{} are not in the footage, which has {}–{}.", first, last, info.first, info.last));
}

}  // namespace

Status FollowOptions::check() const {
  const auto outside = [](std::string_view name, double value, double low, double high) {
    return invalidInput(fmt::format("{} must be {} to {}, not {}.", name, low, high, value));
  };
  if (features < 20 || features > 20000) return outside("Features at one time", features, 20, 20000);
  if (!(min_strength > 0)) return invalidInput(fmt::format("Corner strength must be over 0, not {}.", min_strength));
  if (!(min_distance_px >= 4 && min_distance_px <= 200)) return outside("Distance between features", min_distance_px, 4, 200);
  if (patch_radius < 4 || patch_radius > 30) return outside("Patch radius", patch_radius, 4, 30);
  if (min_life < 2 || min_life > 100) return outside("Shortest life", min_life, 2, 100);
  if (!(max_return_px > 0)) return invalidInput(fmt::format("Forward–backward tolerance must be over 0 px, not {}.", max_return_px));
  if (!(min_likeness > 0 && min_likeness < 1)) return outside("Likeness", min_likeness, 0, 1);
  return Done{};
}

Result<TrackSetPtr> followFeatures(FrameSource& source, const FollowOptions& options, const Progress& progress,
                                   const std::function<void(TrackSetPtr)>& on_partial) {
  if (const Status fine = options.check(); !fine.ok()) return fine.error();
  const FootageInfo& info = source.info();
  const bool all = options.first_frame == 0 && options.last_frame == 0;
  const int first = all ? info.first : options.first_frame, last = all ? info.last : options.last_frame;
  if (const Status fine = checkRange(info, first, last); !fine.ok()) return fine.error();

  const Stopwatch watch;
  double busy_s = 0, told_s = 0;
  TrackSet result;
  result.width = info.width, result.height = info.height;
  result.first_frame = first, result.last_frame = last;
  Follower follower(options, result);
  Reader reader(source, first, last);
  std::optional<Prepared> before;
  result.summary.termination = Termination::Settled;
  result.summary.frames = 0;
  while (auto next = reader.next()) {
    if (!next->ok()) return next->error();
    const Stopwatch step_watch;
    follower.step(before ? &*before : nullptr, **next);
    busy_s += step_watch.seconds();
    before = std::move(**next);
    ++result.summary.frames;
    progress.report(static_cast<double>(result.summary.frames) / result.frames(), fmt::format("tracking frame {} of {}–{}", before->number, first, last));
    if (on_partial && watch.seconds() - told_s > 0.4) {
      told_s = watch.seconds();
      on_partial(withoutShortLives(result, options.min_life));
    }
    if (progress.stopRequested()) {
      result.summary.termination = Termination::Cancelled;
      break;
    }
  }
  follower.finish();
  auto kept = withoutShortLives(result, options.min_life);
  kept->summary.found = static_cast<int>(result.tracks.size());
  kept->summary.too_short = static_cast<int>(result.tracks.size() - kept->tracks.size());
  kept->summary.decode_s = reader.busySeconds();
  kept->summary.track_s = busy_s;
  kept->summary.total_s = watch.seconds();
  return TrackSetPtr(std::move(kept));
}

}  // namespace dusky
