#include <OpenImageIO/imageio.h>
#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <filesystem>

#include "core/base/atomic_file.h"
#include "core/base/log.h"
#include "core/base/paths.h"
#include "core/image/frame_ranges.h"
#include "core/image/srgb.h"
#include "core/media/pictures/formats.h"

namespace dusky {
namespace {

// Larger ones are no film's: damaged headers claim such sizes.
constexpr int kLongestSide = 65536, kMostChannels = 64;
constexpr std::int64_t kMostPixels = std::int64_t{16384} * 16384;
constexpr std::uintmax_t kMostBytes = std::uintmax_t{4} << 30;

/// Why a picture is not even tried; Done where it is.
Status checkSizes(const std::string& file, const OIIO::ImageSpec& spec) {
  const auto fits = [](int width, int height) {
    return width > 0 && height > 0 && width <= kLongestSide && height <= kLongestSide && std::int64_t{width} * height <= kMostPixels;
  };
  const bool near =
      std::abs(static_cast<double>(spec.x) - spec.full_x) < 4.0 * kLongestSide && std::abs(static_cast<double>(spec.y) - spec.full_y) < 4.0 * kLongestSide;
  if (fits(spec.width, spec.height) && fits(spec.full_width, spec.full_height) && near && spec.nchannels > 0 && spec.nchannels <= kMostChannels &&
      spec.depth <= 1)
    return Done{};
  return unreadable(fmt::format("{} claims {}×{} px ({}×{} of them filled) with {} channels; pictures have up to {} million pixels. It may be damaged.", file,
                                spec.full_width, spec.full_height, spec.width, spec.height, spec.nchannels, kMostPixels / 1000000));
}

/// Opens a picture with the reader of its kind alone. Errors: Unreadable: no regular file, damaged, of another kind than its name says, of no sane size.
Result<std::unique_ptr<OIIO::ImageInput>> openPicture(const std::string& file) {
  if (const Status fine = checkReadable(file); !fine.ok()) return fine.error();
  std::error_code failed;
  if (std::filesystem::file_size(file, failed) > kMostBytes)
    return unreadable(fmt::format("{} is larger than {} GB; that is no picture.", file, kMostBytes >> 30));
  const std::string kind = endingOf(file);
  auto input = OIIO::ImageInput::create(kind);
  OIIO::ImageSpec spec;
  if (!input || !input->open(file, spec)) {
    logLibrary("OpenImageIO", input ? input->geterror() : OIIO::geterror());
    return unreadable(fmt::format("{} cannot be read: it is damaged, or no {} picture as its name says.", file, kind));
  }
  if (const Status fine = checkSizes(file, spec); !fine.ok()) return fine.error();
  return std::unique_ptr<OIIO::ImageInput>(std::move(input));
}

float displayFromLinear(float linear) { return screenOf(std::clamp(linear, 0.0f, 1.0f)); }

class SequenceSource final : public FrameSource {
 public:
  explicit SequenceSource(Sequence sequence) : sequence_(std::move(sequence)) {}

  Status open() {
    info_.path = sequence_.path.string();
    info_.first = sequence_.files.begin()->first;
    info_.last = sequence_.files.rbegin()->first;
    const auto first = sequence_.files.begin()->second;
    const auto input = openPicture(first.string());
    if (!input.ok()) return input.error();
    readHeader((*input)->spec());
    info_.kind = fmt::format("sequence ({})", (*input)->format_name());
    constexpr int kMostMissing = 100000;
    if (info_.last - info_.first >= kMostMissing + static_cast<int>(sequence_.files.size())) {
      return unreadable(fmt::format("{}: its {} files are numbered from {} to {}; that is not one sequence. Name the frames by their numbers.", info_.path,
                                    sequence_.files.size(), info_.first, info_.last));
    }
    for (int number = info_.first; number <= info_.last; ++number) {
      if (!sequence_.files.contains(number)) info_.missing.push_back(number);
    }
    if (!info_.missing.empty()) info_.warnings.push_back(fmt::format("Frames {} are missing; they are left out.", listed(info_.missing)));
    return Done{};
  }

  const FootageInfo& info() const override { return info_; }

  Result<Frame> read(int number, FrameUse use) override {
    const auto found = sequence_.files.find(number);
    if (found == sequence_.files.end()) {
      const bool missing = number > info_.first && number < info_.last;
      return invalidInput(missing ? fmt::format("Frame {} is missing from {}.", number, info_.path)
                                  : fmt::format("Frame {} is outside {}–{} of {}.", number, info_.first, info_.last, info_.path));
    }
    const std::string file = found->second.string();
    const auto input = openPicture(file);
    if (!input.ok()) return input.error();
    const OIIO::ImageSpec& spec = (*input)->spec();
    if (spec.full_width != info_.width || spec.full_height != info_.height) {
      return unreadable(fmt::format("{} is {}×{}, the first frame {}×{}; all frames must have one size.", file, spec.full_width, spec.full_height, info_.width,
                                    info_.height));
    }
    std::vector<float> pixels(static_cast<std::size_t>(spec.width) * spec.height * spec.nchannels);
    if (!(*input)->read_image(0, 0, 0, spec.nchannels, OIIO::TypeDesc::FLOAT, pixels.data())) {
      logLibrary("OpenImageIO", (*input)->geterror());
      return unreadable(fmt::format("{} (frame {}) is damaged or cut off: not all of its pixels can be read.", file, number));
    }
    if (use == FrameUse::Plate) return valuesOf(number, pixels, spec);
    return use == FrameUse::Alpha ? alphaOf(number, pixels, spec) : toFrame(number, pixels, spec);
  }

 private:
  void readHeader(const OIIO::ImageSpec& spec) {
    info_.width = spec.full_width;
    info_.height = spec.full_height;
    const float fps = spec.get_float_attribute("FramesPerSecond", 24.0f);
    info_.fps = fps > 0 ? fps : 24.0;
    const float aspect = spec.get_float_attribute("PixelAspectRatio", 1.0f);
    if (aspect > 0.1f && aspect < 10) info_.pixel_aspect = aspect;
    info_.has_alpha = spec.alpha_channel >= 0;
    info_.focal_mm = std::max(0.0f, spec.get_float_attribute("Exif:FocalLength", 0.0f));
    info_.focal_35_mm = std::max(0.0f, spec.get_float_attribute("Exif:FocalLengthIn35mmFilm", 0.0f));
  }

  /// Renderers leave pixels that are no number: those are black.
  static float known(float value) { return std::isnan(value) ? 0.0f : value; }

  /// Visits the part of the display window that the data window covers: place in the picture, values of the pixel.
  template <class Visit>
  void eachPixel(const std::vector<float>& pixels, const OIIO::ImageSpec& spec, Visit visit) const {
    const int left = spec.x - spec.full_x, top = spec.y - spec.full_y;
    for (int y = std::max(0, -top); y < std::min(spec.height, info_.height - top); ++y) {
      for (int x = std::max(0, -left); x < std::min(spec.width, info_.width - left); ++x)
        visit(x + left, y + top, pixels.data() + (static_cast<std::size_t>(y) * spec.width + x) * spec.nchannels);
    }
  }

  /// Outside of the data window there is nothing.
  Result<Frame> alphaOf(int number, const std::vector<float>& pixels, const OIIO::ImageSpec& spec) const {
    if (spec.alpha_channel < 0) return unreadable(fmt::format("Frame {} of {} has no alpha.", number, info_.path));
    Frame frame{number, {}, FloatPlane(info_.width, info_.height)};
    eachPixel(pixels, spec, [&](int x, int y, const float* p) { frame.luma.at(x, y) = 255 * std::clamp(known(p[spec.alpha_channel]), 0.0f, 1.0f); });
    return frame;
  }

  /// As they are.
  Frame valuesOf(int number, const std::vector<float>& pixels, const OIIO::ImageSpec& spec) const {
    Frame frame;
    frame.number = number, frame.linear = spec.format.is_floating_point();
    frame.values = FloatPicture(info_.width, info_.height);
    const bool colours = spec.nchannels >= 3;
    eachPixel(pixels, spec, [&](int x, int y, const float* p) {
      frame.values.at(x, y) = {known(p[0]), known(colours ? p[1] : p[0]), known(colours ? p[2] : p[0])};
    });
    return frame;
  }

  /// The display window; what the data window does not cover stays black.
  Frame toFrame(int number, const std::vector<float>& pixels, const OIIO::ImageSpec& spec) const {
    const bool linear = spec.format.is_floating_point();
    const int channels = spec.nchannels;
    Frame frame;
    frame.number = number;
    frame.picture = Picture(info_.width, info_.height);
    frame.luma = FloatPlane(info_.width, info_.height);
    eachPixel(pixels, spec, [&](int x, int y, const float* p) {
      float c[3] = {p[0], channels >= 3 ? p[1] : p[0], channels >= 3 ? p[2] : p[0]};
      for (float& v : c) v = linear ? displayFromLinear(known(v)) : std::clamp(known(v), 0.0f, 1.0f);
      const auto byte = [](float v) { return static_cast<std::uint8_t>(v * 255.0f + 0.5f); };
      frame.picture.at(x, y) = {byte(c[0]), byte(c[1]), byte(c[2])};
      frame.luma.at(x, y) = 255.0f * (0.2126f * c[0] + 0.7152f * c[1] + 0.0722f * c[2]);
    });
    return frame;
  }

  Sequence sequence_;
  FootageInfo info_;
};

StoredPicture headOf(const OIIO::ImageSpec& spec) {
  return {.width = spec.width,
          .height = spec.height,
          .left = spec.x - spec.full_x,
          .top = spec.y - spec.full_y,
          .full_width = spec.full_width,
          .full_height = spec.full_height,
          .channels = spec.channelnames,
          .depth = spec.format.c_str()};
}

Error cutOff(OIIO::ImageInput& input, const std::filesystem::path& path) {
  logLibrary("OpenImageIO", input.geterror());
  return unreadable(fmt::format("{} is damaged or cut off: not all of its pixels can be read.", path.string()));
}
}  // namespace

Result<StoredPicture> readStoredFile(const std::filesystem::path& path) {
  const auto input = openPicture(path.string());
  if (!input.ok()) return input.error();
  (*input)->threads(1);
  const OIIO::ImageSpec& spec = (*input)->spec();
  StoredPicture stored = headOf(spec);
  stored.values.resize(static_cast<std::size_t>(spec.width) * spec.height * spec.nchannels);
  if (!(*input)->read_image(0, 0, 0, spec.nchannels, OIIO::TypeDesc::FLOAT, stored.values.data())) return cutOff(**input, path);
  return stored;
}

Result<StoredPicture> readThroughFile(const std::filesystem::path& path) {
  constexpr int kLines = 64;
  const auto input = openPicture(path.string());
  if (!input.ok()) return input.error();
  (*input)->threads(1);
  const OIIO::ImageSpec& spec = (*input)->spec();
  std::vector<std::uint8_t> lines(static_cast<std::size_t>(spec.width) * kLines * spec.nchannels);
  const int end = spec.y + spec.height;
  for (int y = spec.y; y < end; y += kLines) {
    if (!(*input)->read_scanlines(0, 0, y, std::min(y + kLines, end), 0, 0, spec.nchannels, OIIO::TypeDesc::UINT8, lines.data())) return cutOff(**input, path);
  }
  return headOf(spec);
}

Result<std::unique_ptr<FrameSource>> openSequenceFiles(Sequence sequence) {
  auto source = std::make_unique<SequenceSource>(std::move(sequence));
  if (const Status opened = source->open(); !opened.ok()) return opened.error();
  return std::unique_ptr<FrameSource>(std::move(source));
}
}  // namespace dusky
