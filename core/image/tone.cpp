#include "core/image/tone.h"

#include <algorithm>
#include <array>
#include <cmath>
#include <vector>

namespace dusky {
namespace {

constexpr double kScreen = 2.2;        // of a usual screen
constexpr double kLogStops = 10;       // of the logarithmic curve
constexpr float kWeakContrast = 4.0f;  // grey levels under which contrast is left weak

/// One value, 0 to 1 (and a little beyond).
double tonedValue(double v, const Tone& tone) {
  v = std::max(v, 0.0);
  const double light = tone.curve == ToneCurve::Log      ? (std::exp2(kLogStops * v) - 1) / (std::exp2(kLogStops) - 1)
                       : tone.curve == ToneCurve::Linear ? v
                                                         : std::pow(v, kScreen);
  return std::pow(light * std::exp2(tone.exposure_stops), 1 / (kScreen * tone.gamma));
}

/// tonedValue over 0 to 255 in fine steps; beyond the ends the ends.
class Curve {
 public:
  explicit Curve(const Tone& tone) : values_(kSteps + 1) {
    for (int i = 0; i <= kSteps; ++i)
      values_[static_cast<std::size_t>(i)] = static_cast<float>(255 * std::min(1.0, tonedValue(static_cast<double>(i) / kSteps, tone)));
  }
  float at(float value) const {
    const float place = std::clamp(value * (kSteps / 255.0f), 0.0f, static_cast<float>(kSteps) - 0.001f);
    const auto index = static_cast<std::size_t>(place);
    const float rest = place - static_cast<float>(index);
    return (1 - rest) * values_[index] + rest * values_[index + 1];
  }

 private:
  static constexpr int kSteps = 4096;
  std::vector<float> values_;
};

std::uint8_t valueOf(const Rgb& c, Channel channel) { return channel == Channel::Red ? c.r : channel == Channel::Green ? c.g : c.b; }

/// Mean squared slope over two pixels against that over one: detail survives the longer step, noise does not.
double detailOf(const FloatPlane& plane) {
  double slopes = 0, noise = 0;
  for (int y = 0; y < plane.height; y += 3) {
    const float* row = plane.row(y);
    for (int x = 2; x + 2 < plane.width; ++x) {
      const float wide = row[x + 2] - row[x - 2], bend = row[x - 1] - 2 * row[x] + row[x + 1];
      slopes += wide * wide;
      noise += bend * bend;
    }
  }
  return slopes / std::max(noise, 1.0);
}

/// Sums over a square window, clamped at the border, by running sums along rows and then columns.
FloatPlane boxMean(const FloatPlane& from, int radius) {
  const auto run = [radius](const float* in, float* out, int count, std::ptrdiff_t step) {
    double sum = 0;
    const auto at = [&](int i) { return in[std::clamp(i, 0, count - 1) * step]; };
    for (int i = -radius; i <= radius; ++i) sum += at(i);
    for (int i = 0; i < count; ++i) {
      out[i * step] = static_cast<float>(sum / (2 * radius + 1));
      sum += at(i + radius + 1) - at(i - radius);
    }
  };
  FloatPlane across = FloatPlane::unset(from.width, from.height), both = FloatPlane::unset(from.width, from.height);
  for (int y = 0; y < from.height; ++y) run(from.row(y), across.row(y), from.width, 1);
  for (int x = 0; x < from.width; ++x) run(across.data.data() + x, both.data.data() + x, from.height, from.width);
  return both;
}

}  // namespace

FloatPlane toned(FloatPlane values, const Tone& tone) {
  if (!tone.changesValues()) return values;
  const Curve curve(tone);
  for (float& v : values.data) v = curve.at(v);
  return values;
}

Picture toned(Picture picture, const Tone& tone) {
  if (!tone.changesValues()) return picture;
  const Curve curve(tone);
  std::array<std::uint8_t, 256> table{};
  for (int i = 0; i < 256; ++i) table[static_cast<std::size_t>(i)] = static_cast<std::uint8_t>(std::lround(curve.at(static_cast<float>(i))));
  for (Rgb& c : picture.data) c = {table[c.r], table[c.g], table[c.b]};
  return picture;
}

FloatPlane channelOf(const Picture& picture, Channel channel) {
  FloatPlane plane = FloatPlane::unset(picture.width, picture.height);
  const bool luma = channel == Channel::Luma || channel == Channel::Best;
  for (std::size_t i = 0; i < plane.data.size(); ++i) {
    const Rgb c = picture.data[i];
    plane.data[i] = luma ? 0.2126f * c.r + 0.7152f * c.g + 0.0722f * c.b : static_cast<float>(valueOf(c, channel));
  }
  return plane;
}

Channel bestChannel(const Picture& picture) {
  constexpr double kClearlyBetter = 1.15;
  Channel best = Channel::Luma;
  double most = kClearlyBetter * detailOf(channelOf(picture, Channel::Luma));
  for (const Channel channel : {Channel::Red, Channel::Green, Channel::Blue}) {
    const double detail = detailOf(channelOf(picture, channel));
    if (detail > most) most = detail, best = channel;
  }
  return best;
}

Picture onlyChannel(Picture picture, Channel channel) {
  if (channel == Channel::Luma || channel == Channel::Best) return picture;
  for (Rgb& c : picture.data) {
    const std::uint8_t v = valueOf(c, channel);
    c = {v, v, v};
  }
  return picture;
}

FloatPlane evenContrast(const FloatPlane& values, int radius) {
  FloatPlane squares = values;
  for (float& v : squares.data) v *= v;
  const FloatPlane mean = boxMean(values, radius), mean_squares = boxMean(squares, radius);
  FloatPlane even = FloatPlane::unset(values.width, values.height);
  for (std::size_t i = 0; i < even.data.size(); ++i) {
    const float spread = std::sqrt(std::max(0.0f, mean_squares.data[i] - mean.data[i] * mean.data[i]));
    even.data[i] = 128 + 40 * (values.data[i] - mean.data[i]) / (spread + kWeakContrast);
  }
  return even;
}

}  // namespace dusky
