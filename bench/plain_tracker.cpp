#include "bench/plain_tracker.h"

#include <optional>

#include "core/base/parallel.h"
#include "core/track/detect.h"
#include "core/track/patch.h"

namespace dusky::bench {
namespace {

constexpr int kLevels = 3, kRadius = 10;

std::optional<Eigen::Vector2f> step(const Pyramid& from, const Pyramid& to, const Eigen::Vector2f& place) {
  Eigen::Vector2f found = place;
  for (int level = std::min<int>(kLevels, static_cast<int>(from.levels.size())) - 1; level >= 0; --level) {
    const auto size = static_cast<float>(1 << level);
    const Patch patch(from.levels[level], place / size, kRadius);
    if (!patch.usable()) continue;
    const PatchMatch match = patch.align(to.levels[level], found / size, 20);
    if (match.likeness > 0.4f)
      found = match.centre * size;
    else if (level == 0)
      return std::nullopt;
  }
  return found;
}

}  // namespace

TrackSetPtr followPlainly(FrameSource& source, int features) {
  const Stopwatch watch;
  auto set = std::make_shared<TrackSet>();
  const FootageInfo& info = source.info();
  Pyramid before;
  std::vector<std::size_t> living;
  for (int number = info.first; number <= info.last; ++number) {
    Pyramid now = buildPyramid(source.read(number)->luma, kLevels);
    if (number == info.first) {
      for (const Feature& f : detectFeatures(now, {}, {.count = features})) {
        living.push_back(set->tracks.size());
        set->tracks.push_back({.id = static_cast<int>(living.size()), .observations = {{number, f.position}}});
      }
    } else {
      std::vector<std::optional<Eigen::Vector2f>> found(living.size());
      parallelFor(static_cast<int>(living.size()), [&](int i) {
        const Eigen::Vector2f place = set->tracks[living[i]].observations.back().position.cast<float>();
        const auto moved = step(before, now, place);
        const auto back = moved ? step(now, before, *moved) : std::nullopt;
        if (back && (*back - place).norm() < 0.5f) found[i] = moved;
      });
      std::vector<std::size_t> left;
      for (std::size_t i = 0; i < living.size(); ++i) {
        Track& track = set->tracks[living[i]];
        if (!found[i]) {
          track.stop = StopReason::Lost;
          continue;
        }
        track.observations.push_back({number, found[i]->cast<double>()});
        left.push_back(living[i]);
      }
      living = left;
    }
    before = std::move(now);
  }
  set->summary.frames = info.frames();
  set->summary.total_s = watch.seconds();
  return set;
}

}  // namespace dusky::bench
