#include "core/track/large_pictures.h"

#include <fmt/format.h>

#include <map>
#include <optional>

#include "core/base/parallel.h"
#include "core/image/pyramid.h"
#include "core/track/reference.h"

namespace dusky {
namespace {

class ReducedSource final : public FrameSource {
 public:
  ReducedSource(FrameSource& source, int times) : source_(source), times_(times), info_(source.info()) { info_.width /= times, info_.height /= times; }
  const FootageInfo& info() const override { return info_; }
  Result<Frame> read(int number, FrameUse use) override {
    auto frame = source_.read(number, use == FrameUse::Following ? FrameUse::Tracking : use);
    if (frame.ok()) frame->luma = reduced(std::move(frame->luma), times_);
    return frame;
  }

 private:
  FrameSource& source_;
  const int times_;
  FootageInfo info_;
};

/// What is left out of any of a reduced pixel's own is left out of it.
class ReducedMasks final : public FrameMasks {
 public:
  ReducedMasks(FrameMasks& masks, int times) : masks_(masks), times_(times) {}
  Result<LeftOut> leftOut(int frame) override {
    const auto full = masks_.leftOut(frame);
    if (!full.ok() || full->empty()) return full;
    LeftOut small(full->width / times_, full->height / times_);
    for (int y = 0; y < small.height * times_; ++y) {
      for (int x = 0; x < small.width * times_; ++x) small.at(x / times_, y / times_) |= full->at(x, y);
    }
    return small;
  }

 private:
  FrameMasks& masks_;
  const int times_;
};

std::shared_ptr<TrackSet> scaled(const TrackSet& tracks, double by) {
  auto set = std::make_shared<TrackSet>(tracks);
  set->width = static_cast<int>(std::lround(tracks.width * by)), set->height = static_cast<int>(std::lround(tracks.height * by));
  for (Track& track : set->tracks) {
    for (Observation& o : track.observations) o.position *= by;
  }
  return set;
}

/// Places tracks anew at full size, frame by frame, from the piece of picture that each began with.
class Refiner {
 public:
  Refiner(TrackSet& set, std::size_t first_track, int radius, double reach_px) : set_(set), radius_(radius), reach_px_(reach_px) {
    for (std::size_t t = first_track; t < set.tracks.size(); ++t) {
      for (std::size_t i = 0; i < set.tracks[t].observations.size(); ++i) at_[set.tracks[t].observations[i].frame].push_back({t, i});
    }
    held_.resize(set.tracks.size());
  }

  void place(int frame, const FloatPlane& plane) {
    const std::vector<Sighting>& here = at_[frame];
    parallelFor(
        static_cast<int>(here.size()), [&](int k) { placeOne(here[static_cast<std::size_t>(k)], plane); }, 8);
  }

 private:
  struct Sighting {
    std::size_t track, index;
  };
  struct Held {
    Reference reference;
    Eigen::Matrix2f shape = Eigen::Matrix2f::Identity();
  };

  void placeOne(const Sighting& sighting, const FloatPlane& plane) {
    Track& track = set_.tracks[sighting.track];
    Vec2& place = track.observations[sighting.index].position;
    auto& held = held_[sighting.track];
    if (held) {
      const ReferenceMatch match = held->reference.align(plane, place.cast<float>(), held->shape);
      const bool confirmed = match.settled && match.likeness > kLeastLikeness && (match.centre.cast<double>() - place).norm() < reach_px_;
      if (confirmed) place = match.centre.cast<double>(), held->shape = match.shape;
      if (confirmed ? wornOut(held->shape) : !held->reference.usable()) held.reset();
    }
    if (!held) {
      held.emplace(Held{Reference(plane, place.cast<float>(), radius_)});
      if (!held->reference.usable()) held.reset();
    }
    if (sighting.index + 1 == track.observations.size()) held.reset();
  }

  static constexpr float kLeastLikeness = 0.8f;
  TrackSet& set_;
  const int radius_;
  const double reach_px_;
  std::map<int, std::vector<Sighting>> at_;
  std::vector<std::optional<Held>> held_;
};

}  // namespace

int trackedReduction(int width) {
  constexpr int kWidest = 2048;
  int times = 1;
  while (width / times > kWidest) times *= 2;
  return times;
}

FloatPlane reduced(FloatPlane plane, int times) {
  int levels = 1;
  for (int t = times; t > 1; t /= 2) ++levels;
  if (levels == 1) return plane;
  return std::move(buildPyramid(std::move(plane), levels).levels.back());
}

Result<TrackSetPtr> followInLargePictures(FrameSource& source, const FollowOptions& options, const Progress& progress, const FollowScope& scope,
                                          const std::function<void(TrackSetPtr)>& on_partial) {
  const int times = trackedReduction(source.info().width);
  ReducedSource small(source, times);
  std::optional<ReducedMasks> masks;
  FollowScope inner = scope;
  if (scope.masks) inner.masks = &masks.emplace(*scope.masks, times);
  for (Vec2& p : inner.region) p /= times;
  const TrackSetPtr existing = scope.existing ? scaled(*scope.existing, 1.0 / times) : nullptr;
  inner.existing = existing.get();
  const auto partial = [&](TrackSetPtr so_far) { on_partial(scaled(*so_far, times)); };
  const auto followed = followFeatures(small, options, progress.part(0, 0.85), inner, on_partial ? std::function<void(TrackSetPtr)>(partial) : nullptr);
  if (!followed.ok()) return followed;
  auto set = scaled(**followed, times);
  set->width = source.info().width, set->height = source.info().height;
  const std::size_t kept = scope.existing ? scope.existing->tracks.size() : 0;
  if (scope.existing) std::copy(scope.existing->tracks.begin(), scope.existing->tracks.end(), set->tracks.begin());
  if (set->summary.termination == Termination::Cancelled) return TrackSetPtr(set);
  Refiner refiner(*set, kept, std::min(30, options.patch_radius * 3 / 2), 0.75 * times);
  const Stopwatch watch;
  for (int i = 0; i < set->frames(); ++i) {
    const int frame = set->frameAt(i);
    progress.report(0.85 + 0.15 * i / set->frames(), fmt::format("placing at full size, frame {}", frame));
    if (progress.stopRequested()) {
      set->summary.termination = Termination::Cancelled;
      break;
    }
    const auto read = source.read(frame, FrameUse::Tracking);
    if (!read.ok()) return read.error();
    refiner.place(frame, soften(read->luma));
  }
  set->summary.track_s += watch.seconds(), set->summary.total_s += watch.seconds();
  return TrackSetPtr(set);
}

}  // namespace dusky
