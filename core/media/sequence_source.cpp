#include "core/media/sequence_source.h"

#include <OpenImageIO/imageio.h>
#include <fmt/format.h>

#include <algorithm>
#include <cmath>

namespace dusky {
namespace {

float displayFromLinear(float linear) {
  const float x = std::clamp(linear, 0.0f, 1.0f);
  return x <= 0.0031308f ? 12.92f * x : 1.055f * std::pow(x, 1 / 2.4f) - 0.055f;
}

class SequenceSource final : public FrameSource {
 public:
  explicit SequenceSource(Sequence sequence) : sequence_(std::move(sequence)) {}

  Status open() {
    info_.path = sequence_.path.string();
    info_.first = sequence_.files.begin()->first;
    info_.last = sequence_.files.rbegin()->first;
    const auto first = sequence_.files.begin()->second;
    const auto input = OIIO::ImageInput::open(first.string());
    if (!input) return unreadable(fmt::format("{} is not a picture that can be read: {}.", first.string(), reason()));
    info_.width = input->spec().width;
    info_.height = input->spec().height;
    info_.kind = fmt::format("sequence ({})", input->format_name());
    const float fps = input->spec().get_float_attribute("FramesPerSecond", 24.0f);
    info_.fps = fps > 0 ? fps : 24.0;
    return Done{};
  }

  const FootageInfo& info() const override { return info_; }

  Result<Frame> read(int number, FrameUse) override {
    const auto found = sequence_.files.find(number);
    if (found == sequence_.files.end()) {
      return invalidInput(fmt::format("Frame {} is outside {}–{} of {}.", number, info_.first, info_.last, info_.path));
    }
    const std::string file = found->second.string();
    const auto input = OIIO::ImageInput::open(file);
    if (!input) return unreadable(fmt::format("{} (frame {}) cannot be read: {}.", file, number, reason()));
    const OIIO::ImageSpec& spec = input->spec();
    if (spec.width != info_.width || spec.height != info_.height) {
      return unreadable(
          fmt::format("{} is {}×{}, the first frame {}×{}; all frames must have one size.", file, spec.width, spec.height, info_.width, info_.height));
    }
    std::vector<float> pixels(static_cast<std::size_t>(spec.width) * spec.height * spec.nchannels);
    if (!input->read_image(0, 0, 0, spec.nchannels, OIIO::TypeDesc::FLOAT, pixels.data())) {
      return unreadable(fmt::format("{} (frame {}) is damaged: {}.", file, number, input->geterror()));
    }
    return toFrame(number, pixels, spec.nchannels, spec.format.is_floating_point());
  }

 private:
  static std::string reason() {
    std::string text = OIIO::geterror();
    while (!text.empty() && (text.back() == '\n' || text.back() == '.')) text.pop_back();
    return text.empty() ? "unknown format" : text;
  }

  Frame toFrame(int number, const std::vector<float>& pixels, int channels, bool linear) const {
    Frame frame;
    frame.number = number;
    frame.picture = Picture(info_.width, info_.height);
    frame.luma = FloatPlane(info_.width, info_.height);
    for (std::size_t i = 0; i < frame.picture.data.size(); ++i) {
      const float* p = pixels.data() + i * channels;
      float c[3] = {p[0], channels >= 3 ? p[1] : p[0], channels >= 3 ? p[2] : p[0]};
      for (float& v : c) v = linear ? displayFromLinear(v) : std::clamp(v, 0.0f, 1.0f);
      const auto byte = [](float v) { return static_cast<std::uint8_t>(v * 255.0f + 0.5f); };
      frame.picture.data[i] = {byte(c[0]), byte(c[1]), byte(c[2])};
      frame.luma.data[i] = 255.0f * (0.2126f * c[0] + 0.7152f * c[1] + 0.0722f * c[2]);
    }
    return frame;
  }

  Sequence sequence_;
  FootageInfo info_;
};

}  // namespace

Result<std::unique_ptr<FrameSource>> openSequence(Sequence sequence) {
  auto source = std::make_unique<SequenceSource>(std::move(sequence));
  if (const Status opened = source->open(); !opened.ok()) return opened.error();
  return std::unique_ptr<FrameSource>(std::move(source));
}

}  // namespace dusky
