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

void takeRows(const Plane<std::int16_t>& steps, FloatPlane& softened, int first, int end) {
  const std::int16_t* from = steps.row(first);
  float* __restrict to = softened.row(first);
  const int count = (end - first) * softened.width;
  for (int i = 0; i < count; ++i) to[i] = static_cast<float>(from[i]) * (1 / kSteps);
}
}  // namespace

void LumaStore::keep(int number, Kept frame) {
  one_ = frame.size();
  // Forward, the oldest goes; the way back begins at the newest.
  while (!frames_.empty() && used_ + one_ > budget_) {
    used_ -= frames_.begin()->second.size();
    frames_.erase(frames_.begin());
  }
  used_ += one_;
  frames_[number] = std::move(frame);
}

PreparedFrame LumaStore::take(int number) {
  const auto found = frames_.find(number);
  const Kept kept = std::move(found->second);
  frames_.erase(found);
  used_ -= kept.size();
  const LumaBytes& bytes = kept.bytes;
  const bool whole = !bytes.values.empty();
  const auto make = [&](FloatPlane& base, int first, int end) {
    if (whole)
      softenRows(bytes.values, bytes.black, bytes.scale, base, first, end);
    else
      takeRows(kept.steps, base, first, end);
  };
  const int width = whole ? bytes.values.width : kept.steps.width, height = whole ? bytes.values.height : kept.steps.height;
  return {number, {}, buildPyramid(width, height, kLevels, make), kept.sharpness};
}

int LumaStore::capacity() const { return one_ > 0 ? static_cast<int>(std::max<std::size_t>(1, budget_ / one_)) : 1; }

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
  if (!backward) return prepare(number, kLevels);
  if (!store_.has(number)) {
    if (const Status filled = refill(index); !filled.ok()) return filled.error();
  }
  return store_.take(number);
}

/// Reads a frame, makes its pyramid and keeps its luma where frames are kept.
Result<PreparedFrame> FrameReader::prepare(int number, int levels) {
  Result<Frame> frame = source_.read(number, FrameUse::Following);
  if (!frame.ok()) return frame.error();
  const FloatPlane& luma = frame->luma;
  LumaStore::Kept kept{std::move(frame->bytes), {}, 0};
  const LumaBytes& bytes = kept.bytes;
  const bool whole = !bytes.values.empty();
  if (!whole && store_.keepsAny()) kept.steps = Plane<std::int16_t>::unset(luma.width, luma.height);
  const auto soft = [&](FloatPlane& base, int first, int end) {
    if (whole)
      softenRows(bytes.values, bytes.black, bytes.scale, base, first, end);
    else
      softenRows(luma, base, first, end);
  };
  GradientMeter gradient;
  const auto keep = [&](FloatPlane& base, int first, int end) {
    gradient.reach(base, end);
    if (!kept.steps.empty()) keepRows(base, kept.steps, first, end);
  };
  const int width = whole ? bytes.values.width : luma.width, height = whole ? bytes.values.height : luma.height;
  PreparedFrame prepared{number, std::move(frame->picture), buildPyramid(width, height, levels, soft, keep), gradient.meanSquare()};
  kept.sharpness = prepared.sharpness;
  if (store_.keepsAny()) store_.keep(number, std::move(kept));
  return prepared;
}

/// Reads the frames that are wanted from here on, as many as fit, in their natural order.
Status FrameReader::refill(std::size_t index) {
  const std::size_t last = std::min(numbers_.size() - 1, index + static_cast<std::size_t>(store_.capacity()) - 1);
  for (std::size_t i = last + 1; i-- > index;) {
    const auto frame = prepare(numbers_[i], 1);
    if (!frame.ok()) return frame.error();
  }
  return Done{};
}

}  // namespace dusky
