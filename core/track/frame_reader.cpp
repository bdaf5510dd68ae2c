#include "core/track/frame_reader.h"

#include <algorithm>
#include <cmath>

#include "core/base/progress.h"
#include "core/track/follow_features.h"

namespace dusky {

namespace {
constexpr float kSteps = 64;  // to a grey level
constexpr int kLevels = 4;
}  // namespace

void LumaStore::keep(int number, const FloatPlane& luma) {
  const auto most = static_cast<std::size_t>(std::max(1, capacity(luma.width, luma.height)));
  // Forward, the oldest goes; the way back begins at the newest.
  while (planes_.size() >= most) planes_.erase(planes_.begin());
  Plane<std::int16_t>& plane = planes_[number] = Plane<std::int16_t>(luma.width, luma.height);
  for (std::size_t i = 0; i < plane.data.size(); ++i) plane.data[i] = static_cast<std::int16_t>(std::clamp(luma.data[i] * kSteps, -32000.0f, 32000.0f));
}

FloatPlane LumaStore::take(int number) {
  const auto found = planes_.find(number);
  FloatPlane luma(found->second.width, found->second.height);
  for (std::size_t i = 0; i < luma.data.size(); ++i) luma.data[i] = static_cast<float>(found->second.data[i]) / kSteps;
  planes_.erase(found);
  return luma;
}

int LumaStore::capacity(int width, int height) const {
  return static_cast<int>(budget_ / (sizeof(std::int16_t) * static_cast<std::size_t>(width) * static_cast<std::size_t>(height)));
}

Pyramid preparedPyramid(const FloatPlane& luma) { return buildPyramid(soften(luma), kLevels); }

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
    if (store_.capacity(frame->luma.width, frame->luma.height) > 0) store_.keep(number, frame->luma);
    return prepare(number, std::move(frame->picture), std::move(frame->luma));
  }
  if (!store_.has(number)) {
    if (const Status filled = refill(index); !filled.ok()) return filled.error();
  }
  return prepare(number, {}, store_.take(number));
}

PreparedFrame FrameReader::prepare(int number, Picture small, FloatPlane luma) const {
  PreparedFrame frame{number, std::move(small), preparedPyramid(luma), 0};
  frame.sharpness = meanSquareGradient(frame.pyramid.base());
  return frame;
}

/// Reads the frames that are wanted from here on, as many as fit, in their natural order.
Status FrameReader::refill(std::size_t index) {
  const int fits = std::max(1, store_.capacity(source_.info().width, source_.info().height));
  const std::size_t last = std::min(numbers_.size() - 1, index + static_cast<std::size_t>(fits) - 1);
  for (std::size_t i = last + 1; i-- > index;) {
    Result<Frame> frame = source_.read(numbers_[i], FrameUse::Tracking);
    if (!frame.ok()) return frame.error();
    store_.keep(numbers_[i], frame->luma);
  }
  return Done{};
}

}  // namespace dusky
