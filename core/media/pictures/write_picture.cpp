#include <OpenImageIO/filesystem.h>
#include <OpenImageIO/imageio.h>
#include <fmt/format.h>
#include <immintrin.h>

#include <algorithm>
#include <cstring>

#include "core/base/atomic_file.h"
#include "core/base/staging_folder.h"
#include "core/media/pictures/encode_png.h"
#include "core/media/pictures/formats.h"

namespace dusky {
namespace {

using Depth = PictureEncoding::Depth;

OIIO::TypeDesc typeOf(Depth depth) {
  switch (depth) {
    case Depth::Byte: return OIIO::TypeDesc::UINT8;
    case Depth::Word: return OIIO::TypeDesc::UINT16;
    case Depth::Half: return OIIO::TypeDesc::HALF;
    case Depth::Float: break;
  }
  return OIIO::TypeDesc::FLOAT;
}

Error cannotEncode(const std::filesystem::path& path, std::string_view reason) {
  return cannotWrite(fmt::format("Cannot write {}: {}.", path.string(), reason));
}

/// Encoded in memory: what writes files tells a full disk, the libraries do not all.
Status writeEncoded(const std::filesystem::path& path, const OIIO::ImageSpec& spec, OIIO::TypeDesc from, const void* pixels, bool synced = true) {
  const std::string ending = path.extension().string();
  const auto out = OIIO::ImageOutput::create("a" + ending);
  if (!out || !out->supports("ioproxy")) return cannotEncode(path, fmt::format("pictures that end in \"{}\" are not written", ending));
  std::vector<unsigned char> bytes;
  OIIO::Filesystem::IOVecOutput memory(bytes);
  out->set_ioproxy(&memory);
  out->threads(1);  // whoever writes many writes several at once
  if (!out->open("a" + ending, spec) || !out->write_image(from, pixels) || !out->close())
    return cannotEncode(path, fmt::format("a picture of {}×{} cannot be encoded", spec.width, spec.height));
  const std::string_view all(reinterpret_cast<const char*>(bytes.data()), bytes.size());
  return synced ? writeFileAtomically(path, all) : writeUnsynced(path, all);
}

Status writePng(const std::filesystem::path& path, const PngRows& rows, const PictureEncoding& encoding) {
  const std::string bytes = encodePng(rows, encoding);
  if (bytes.empty()) return cannotEncode(path, fmt::format("a picture of {}×{} cannot be encoded", rows.width, rows.height));
  return encoding.synced ? writeFileAtomically(path, bytes) : writeUnsynced(path, bytes);
}

Status writePngValues(const std::filesystem::path& path, const PictureValues& values, const PictureEncoding& encoding) {
  PngRows rows{.width = values.width, .height = values.height, .channels = static_cast<int>(values.channels.size())};
  rows.bytes = encoding.depth == Depth::Byte ? 1 : 2;
  const std::size_t length = values.channels.size() * values.width;
  rows.fill = [&values, length, words = rows.bytes == 2](int y, std::uint8_t* row) {
    const float* from = values.first + length * y;
    for (std::size_t i = 0; i < length; ++i) {
      const float value = from[i] > 0 ? std::min(from[i], 1.0f) : 0;
      if (!words) {
        row[i] = static_cast<std::uint8_t>(value * 255.0f + 0.5f);
        continue;
      }
      const auto word = static_cast<std::uint16_t>(value * 65535.0f + 0.5f);
      row[2 * i] = static_cast<std::uint8_t>(word >> 8), row[2 * i + 1] = static_cast<std::uint8_t>(word & 255);
    }
  };
  return writePng(path, rows, encoding);
}

/// As the library's own, which takes ten times as long: to the nearest (IEEE 754).
std::vector<std::uint16_t> halvesOf(const PictureValues& values) {
  std::vector<std::uint16_t> halves(values.channels.size() * values.width * values.height);
  std::size_t i = 0;
  for (; i + 8 <= halves.size(); i += 8) {
    _mm_storeu_si128(reinterpret_cast<__m128i*>(halves.data() + i), _mm256_cvtps_ph(_mm256_loadu_ps(values.first + i), _MM_FROUND_TO_NEAREST_INT));
  }
  for (; i < halves.size(); ++i) halves[i] = _cvtss_sh(values.first[i], _MM_FROUND_TO_NEAREST_INT);
  return halves;
}

bool isPng(const std::filesystem::path& path) { return path.extension() == ".png"; }

}  // namespace

Status writePictureFile(const std::filesystem::path& path, const Picture& picture) {
  if (isPng(path)) {
    const auto fill = [&picture](int y, std::uint8_t* row) {
      static_assert(sizeof(Rgb) == 3);
      std::memcpy(row, picture.row(y), 3 * static_cast<std::size_t>(picture.width));
    };
    return writePng(path, {.width = picture.width, .height = picture.height, .channels = 3, .bytes = 1, .fill = fill}, {});
  }
  return writeEncoded(path, OIIO::ImageSpec(picture.width, picture.height, 3, OIIO::TypeDesc::UINT8), OIIO::TypeDesc::UINT8, picture.data.data());
}

Status writeValuesFile(const std::filesystem::path& path, const PictureValues& values, const PictureEncoding& encoding) {
  if (isPng(path)) return writePngValues(path, values, encoding);
  OIIO::ImageSpec spec(values.width, values.height, static_cast<int>(values.channels.size()), typeOf(encoding.depth));
  spec.channelnames = values.channels;
  spec.x = encoding.left, spec.y = encoding.top;
  spec.full_x = spec.full_y = 0;
  spec.full_width = encoding.full_width > 0 ? encoding.full_width : values.width;
  spec.full_height = encoding.full_height > 0 ? encoding.full_height : values.height;
  spec.attribute("oiio:ColorSpace", encoding.linear ? "Linear" : "sRGB");
  spec.attribute("Software", "Dusky Moth");
  if (encoding.pixel_aspect != 1) spec.attribute("PixelAspectRatio", static_cast<float>(encoding.pixel_aspect));
  if (encoding.fps > 0) spec.attribute("FramesPerSecond", static_cast<float>(encoding.fps));
  if (path.extension() == ".exr") spec.attribute("compression", encoding.compressed ? "piz" : "none");
  if (path.extension() == ".jpg") spec.attribute("compression", "jpeg:95");
  if (encoding.depth == Depth::Half) return writeEncoded(path, spec, OIIO::TypeDesc::HALF, halvesOf(values).data(), encoding.synced);
  return writeEncoded(path, spec, OIIO::TypeDesc::FLOAT, values.first, encoding.synced);
}

}  // namespace dusky
