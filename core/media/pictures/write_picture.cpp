#include <OpenImageIO/filesystem.h>
#include <OpenImageIO/imageio.h>
#include <fmt/format.h>

#include <algorithm>

#include "core/base/atomic_file.h"
#include "core/base/staging_folder.h"
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

/// Encoded in memory: what writes files tells a full disk, the libraries do not all.
Status writeEncoded(const std::filesystem::path& path, const OIIO::ImageSpec& spec, OIIO::TypeDesc from, const void* pixels, bool synced = true) {
  const auto fail = [&](std::string_view reason) { return cannotWrite(fmt::format("Cannot write {}: {}.", path.string(), reason)); };
  const std::string ending = path.extension().string();
  const auto out = OIIO::ImageOutput::create("a" + ending);
  if (!out || !out->supports("ioproxy")) return fail(fmt::format("pictures that end in \"{}\" are not written", ending));
  std::vector<unsigned char> bytes;
  OIIO::Filesystem::IOVecOutput memory(bytes);
  out->set_ioproxy(&memory);
  out->threads(1);  // whoever writes many writes several at once
  if (!out->open("a" + ending, spec) || !out->write_image(from, pixels) || !out->close())
    return fail(fmt::format("a picture of {}×{} cannot be encoded", spec.width, spec.height));
  const std::string_view all(reinterpret_cast<const char*>(bytes.data()), bytes.size());
  return synced ? writeFileAtomically(path, all) : writeUnsynced(path, all);
}

/// Half of the time of a large picture went into the library's own rounding.
std::vector<std::uint16_t> wordsOf(const PictureValues& values) {
  std::vector<std::uint16_t> words(static_cast<std::size_t>(values.width) * values.height * values.channels.size());
  for (std::size_t i = 0; i < words.size(); ++i) words[i] = static_cast<std::uint16_t>(std::clamp(values.first[i], 0.0f, 1.0f) * 65535.0f + 0.5f);
  return words;
}

}  // namespace

Status writePictureFile(const std::filesystem::path& path, const Picture& picture) {
  return writeEncoded(path, OIIO::ImageSpec(picture.width, picture.height, 3, OIIO::TypeDesc::UINT8), OIIO::TypeDesc::UINT8, picture.data.data());
}

Status writeValuesFile(const std::filesystem::path& path, const PictureValues& values, const PictureEncoding& encoding) {
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
  // Grain does not compress: what searches for repeats costs time alone.
  if (path.extension() == ".exr") spec.attribute("compression", "piz");
  if (path.extension() == ".png") spec.attribute("png:compressionLevel", 1), spec.attribute("png:filter", 16), spec.attribute("compression", "huffman");
  if (path.extension() == ".jpg") spec.attribute("compression", "jpeg:95");
  for (const auto& [name, words] : encoding.said) spec.attribute(name, words);
  if (encoding.depth == Depth::Word) return writeEncoded(path, spec, OIIO::TypeDesc::UINT16, wordsOf(values).data(), encoding.synced);
  return writeEncoded(path, spec, OIIO::TypeDesc::FLOAT, values.first, encoding.synced);
}

}  // namespace dusky
