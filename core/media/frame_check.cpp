#include "core/media/frame_check.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>

#include "core/base/numbers.h"
#include "core/image/pyramid.h"

namespace dusky {
namespace {

constexpr int kAround = 6;       // frames on each side that a frame is compared with
constexpr int kSmallLevels = 3;  // of the pyramid whose last is compared: an eighth of the size
constexpr double kStill = 0.35;  // grey levels; a shot that changes less than this stands still

double meanOf(const FloatPlane& plane) {
  double sum = 0;
  for (const float v : plane.data) sum += v;
  return plane.empty() ? 0 : sum / static_cast<double>(plane.data.size());
}

double changeBetween(const FloatPlane& a, const FloatPlane& b) {
  const auto light = static_cast<float>(meanOf(b) - meanOf(a));
  double sum = 0;
  for (std::size_t i = 0; i < a.data.size(); ++i) sum += std::abs(b.data[i] - a.data[i] - light);
  return sum / static_cast<double>(a.data.size());
}

double medianAround(const std::vector<CheckedFrame>& frames, std::size_t i, double CheckedFrame::*value) {
  std::vector<double> values;
  const std::size_t first = i > kAround ? i - kAround : 0, last = std::min(frames.size() - 1, i + kAround);
  for (std::size_t k = first; k <= last; ++k) {
    if (k != i && (value != &CheckedFrame::change || k > 0)) values.push_back(frames[k].*value);
  }
  return median(std::move(values));
}

void judge(std::vector<CheckedFrame>& frames, std::size_t i, const FrameCheckOptions& options) {
  CheckedFrame& f = frames[i];
  const double sharp = medianAround(frames, i, &CheckedFrame::sharpness), change = medianAround(frames, i, &CheckedFrame::change);
  if (i > 0 && change > kStill && f.change < options.repeated_share * change) {
    f.fault = FrameFault::Repeated;
    f.sentence = fmt::format("repeats frame {}: it changes by {:.2f} grey levels, its neighbours by {:.2f}", frames[i - 1].frame, f.change, change);
  } else if (i > 0 && f.change > options.cut_factor * std::max(change, kStill)) {
    f.fault = FrameFault::Cut;
    f.sentence = fmt::format("begins another shot: it changes by {:.1f} grey levels, its neighbours by {:.2f}", f.change, change);
  } else if (f.sharpness < options.blurred_share * sharp) {
    f.fault = FrameFault::Blurred;
    f.sentence = fmt::format("is blurred: it holds {:.0f} % of the detail around it", 100 * f.sharpness / sharp);
  }
}

}  // namespace

Result<std::vector<CheckedFrame>> checkFrames(FrameSource& source, const FrameCheckOptions& options, const Progress& progress) {
  const FootageInfo& info = source.info();
  const auto range = rangeIn(info, options.range);
  if (!range.ok()) return range.error();
  const auto [first, last] = *range;
  std::vector<CheckedFrame> frames;
  FloatPlane before;
  for (int number = first; number <= last; ++number) {
    if (!info.has(number)) continue;
    auto frame = source.read(number, FrameUse::Tracking);
    if (!frame.ok()) return frame.error();
    CheckedFrame checked{.frame = number, .sharpness = meanSquareGradient(frame->luma), .brightness = meanOf(frame->luma)};
    FloatPlane small = std::move(buildPyramid(std::move(frame->luma), kSmallLevels + 1).levels.back());
    if (!before.empty()) checked.change = changeBetween(before, small);
    before = std::move(small);
    frames.push_back(std::move(checked));
    progress.report(static_cast<double>(number - first + 1) / (last - first + 1), fmt::format("checking frame {}", number));
    if (progress.stopRequested()) return cancelled();
  }
  for (std::size_t i = 0; i < frames.size(); ++i) judge(frames, i, options);
  return frames;
}

}  // namespace dusky
