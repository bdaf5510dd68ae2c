#include "core/track/frame_reader.h"

#include <algorithm>
#include <cmath>

#include "core/base/progress.h"
#include "core/track/follow_features.h"

namespace dusky {

namespace {
constexpr float kSteps = 64;  // to a grey level
constexpr int kLevels = 4;

void keepRows(const FloatPlane& softened, Plane<std::int16_t>& steps, int first, int end) {
  const float* from = softened.row(first);
  std::int16_t* __restrict to = steps.row(first);
  const int count = (end - first) * softened.width;
  for (int i = 0; i < count; ++i) to[i] = static_cast<std::int16_t>(std::clamp(from[i] * kSteps, -32000.0f, 32000.0f));
}
}  // namespace

LumaStore::Kept& LumaStore::keep(int number, int width, int height) {
  const auto most = static_cast<std::size_t>(std::max(1, capacity(width, height)));
  // Forward, the oldest goes; the way back begins at the newest.
  while (frames_.size() >= most) frames_.erase(frames_.begin());
  return frames_[number] = {Plane<std::int16_t>::unset(width, height), 0};
}

PreparedFrame LumaStore::take(int number) {
  const auto found = frames_.find(number);
  const Plane<std::int16_t>& steps = found->second.steps;
  const auto make = [&](FloatPlane& base, int first, int end) {
    const std::int16_t* from = steps.row(first);
    float* __restrict to = base.row(first);
    const int count = (end - first) * base.width;
    for (int i = 0; i < count; ++i) to[i] = static_cast<float>(from[i]) * (1 / kSteps);
  };
  PreparedFrame frame{number, {}, buildPyramid(steps.width, steps.height, kLevels, make), found->second.sharpness};
  frames_.erase(found);
  return frame;
}

int LumaStore::capacity(int width, int height) const {
  return static_cast<int>(budget_ / (sizeof(std::int16_t) * static_cast<std::size_t>(width) * static_cast<std::size_t>(height)));
}

Pyramid preparedPyramid(const FloatPlane& luma) {
  return buildPyramid(luma.width, luma.height, kLevels, [&](FloatPlane& base, int first, int end) { softenRows(luma, base, first, end); });
}

FrameReader::FrameReader(FrameSource& source, std::vector<int> numbers, LumaStore& store)
    : source_(source), numbers_(std::move(numbers)), store_(store), thread_([this](const std::stop_token& stop) { run(stop); }) {}

void FrameReader::run(const std::stop_token& stop) {
  for (std::size_t i = 0; i < numbers_.size() && !stop.stop_requested(); ++i) {
    const Stopwatch watch;
    Result<PreparedFrame> frame = make(i);
    busy_s_ = busy_s_ + watch.seconds();
    const bool fine = frame.ok();
    if (!queue_.push(std::move(frame)) || !fine) break;
  }
  queue_.close();
}

Result<PreparedFrame> FrameReader::make(std::size_t index) {
  const int number = numbers_[index];
  const bool backward = numbers_.size() > 1 && numbers_[1] < numbers_[0];
  if (!backward) {
    Result<Frame> frame = source_.read(number, FrameUse::Tracking);
    if (!frame.ok()) return frame.error();
    const FloatPlane& luma = frame->luma;
    LumaStore::Kept* kept = store_.capacity(luma.width, luma.height) > 0 ? &store_.keep(number, luma.width, luma.height) : nullptr;
    const auto soft = [&](FloatPlane& base, int first, int end) { softenRows(luma, base, first, end); };
    const auto keep = [&](FloatPlane& base, int first, int end) {
      if (kept) keepRows(base, kept->steps, first, end);
    };
    PreparedFrame prepared{number, std::move(frame->picture), buildPyramid(luma.width, luma.height, kLevels, soft, keep), 0};
    prepared.sharpness = meanSquareGradient(prepared.pyramid.base());
    if (kept) kept->sharpness = prepared.sharpness;
    return prepared;
  }
  if (!store_.has(number)) {
    if (const Status filled = refill(index); !filled.ok()) return filled.error();
  }
  return store_.take(number);
}

/// Reads the frames that are wanted from here on, as many as fit, in their natural order.
Status FrameReader::refill(std::size_t index) {
  const int fits = std::max(1, store_.capacity(source_.info().width, source_.info().height));
  const std::size_t last = std::min(numbers_.size() - 1, index + static_cast<std::size_t>(fits) - 1);
  for (std::size_t i = last + 1; i-- > index;) {
    Result<Frame> frame = source_.read(numbers_[i], FrameUse::Tracking);
    if (!frame.ok()) return frame.error();
    const FloatPlane softened = soften(frame->luma);
    LumaStore::Kept& kept = store_.keep(numbers_[i], softened.width, softened.height);
    keepRows(softened, kept.steps, 0, softened.height);
    kept.sharpness = meanSquareGradient(softened);
  }
  return Done{};
}

}  // namespace dusky
