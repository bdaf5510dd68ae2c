#include "core/media/pictures/encode_png.h"

#include <libdeflate.h>
#include <png.h>

#include <algorithm>
#include <cmath>
#include <memory>
#include <vector>

namespace dusky {
namespace {

/// All rows, each after the number of its filter (1: what differs from the pixel to the left), compressed; empty without memory.
std::vector<std::uint8_t> compressed(const PngRows& rows) {
  const std::size_t pixel = static_cast<std::size_t>(rows.channels) * rows.bytes, length = pixel * rows.width;
  std::vector<std::uint8_t> row(length), filtered((length + 1) * rows.height);
  for (int y = 0; y < rows.height; ++y) {
    rows.fill(y, row.data());
    std::uint8_t* to = filtered.data() + (length + 1) * y;
    *to++ = PNG_FILTER_VALUE_SUB;
    std::copy_n(row.data(), pixel, to);
    for (std::size_t i = pixel; i < length; ++i) to[i] = static_cast<std::uint8_t>(row[i] - row[i - pixel]);
  }
  const std::unique_ptr<libdeflate_compressor, decltype(&libdeflate_free_compressor)> compressor(libdeflate_alloc_compressor(1), &libdeflate_free_compressor);
  if (!compressor) return {};
  std::vector<std::uint8_t> bytes(libdeflate_zlib_compress_bound(compressor.get(), filtered.size()));
  bytes.resize(libdeflate_zlib_compress(compressor.get(), filtered.data(), filtered.size(), bytes.data(), bytes.size()));
  return bytes;
}

void append(png_structp png, png_bytep bytes, png_size_t count) {
  static_cast<std::string*>(png_get_io_ptr(png))->append(reinterpret_cast<const char*>(bytes), count);
}

void describe(png_structp png, png_infop info, const PngRows& rows, const PictureEncoding& encoding) {
  const int colors = rows.channels == 1 ? PNG_COLOR_TYPE_GRAY : PNG_COLOR_TYPE_RGB;
  png_set_IHDR(png, info, rows.width, rows.height, 8 * rows.bytes, colors, PNG_INTERLACE_NONE, PNG_COMPRESSION_TYPE_BASE, PNG_FILTER_TYPE_BASE);
  if (encoding.linear) {
    png_set_gAMA(png, info, 1.0);
  } else {
    png_set_sRGB_gAMA_and_cHRM(png, info, PNG_sRGB_INTENT_PERCEPTUAL);
  }
  // Pixels for each unit of length: the wider a pixel, the fewer of them across.
  constexpr png_uint_32 kAcross = 10000;
  if (encoding.pixel_aspect != 1)
    png_set_pHYs(png, info, kAcross, static_cast<png_uint_32>(std::lround(kAcross * encoding.pixel_aspect)), PNG_RESOLUTION_UNKNOWN);
  char key[] = "Software", words[] = "Dusky Moth";
  png_text text{};
  text.compression = PNG_TEXT_COMPRESSION_NONE, text.key = key, text.text = words, text.text_length = sizeof words - 1;
  png_set_text(png, info, &text, 1);
}

/// The library jumps back here where it fails: nothing of this function needs to be cleaned up.
bool writeFile(png_structp png, png_infop info, const PngRows& rows, const PictureEncoding& encoding, const std::vector<std::uint8_t>& pixels,
               std::string* file) {
  if (setjmp(png_jmpbuf(png))) return false;
  png_set_write_fn(png, file, append, nullptr);
  describe(png, info, rows, encoding);
  png_write_info(png, info);
  constexpr std::size_t kMostInChunk = std::size_t{1} << 24;
  for (std::size_t at = 0; at < pixels.size(); at += kMostInChunk) {
    png_write_chunk(png, reinterpret_cast<png_const_bytep>("IDAT"), pixels.data() + at, std::min(kMostInChunk, pixels.size() - at));
  }
  png_write_chunk(png, reinterpret_cast<png_const_bytep>("IEND"), nullptr, 0);
  return true;
}

}  // namespace

std::string encodePng(const PngRows& rows, const PictureEncoding& encoding) {
  if (rows.channels != 1 && rows.channels != 3) return {};
  const std::vector<std::uint8_t> pixels = compressed(rows);
  png_structp png = png_create_write_struct(
      PNG_LIBPNG_VER_STRING, nullptr, [](png_structp p, png_const_charp) { png_longjmp(p, 1); }, nullptr);
  png_infop info = png ? png_create_info_struct(png) : nullptr;
  std::string file;
  file.reserve(pixels.size() + 4096);
  const bool written = info && !pixels.empty() && writeFile(png, info, rows, encoding, pixels, &file);
  png_destroy_write_struct(&png, &info);
  return written ? file : std::string();
}

}  // namespace dusky
