#pragma once
#include <filesystem>
#include <string>
#include <thread>
#include <utility>
#include <vector>

#include "core/base/result.h"
#include "core/image/plane.h"

namespace dusky {

/// Writes a picture in the kind that the name's ending says (.png, .exr). It stands whole under its name or not at all.
/// Errors: CannotWrite with the reason.
Status writePicture(const std::filesystem::path& path, const Picture& picture);

/// Rows of pixels of any number of channels, one after the other.
struct PictureValues {
  const float* first = nullptr;
  int width = 0, height = 0;
  std::vector<std::string> channels = {"R", "G", "B"};
};

/// How values stand in a file.
struct PictureEncoding {
  enum class Depth : std::uint8_t { Byte, Word, Half, Float };
  Depth depth = Depth::Byte;            ///< Bytes and words: 0 to 1 from black to white.
  int left = 0, top = 0;                ///< Of the first pixel in a picture of `full_width` x `full_height` (EXR's display window).
  int full_width = 0, full_height = 0;  ///< 0: as large as the values.
  bool linear = false;                  ///< Values are light, else as for a screen; said in the file.
  double pixel_aspect = 1;              ///< Width of a pixel over its height.
  bool synced = true;                   ///< Each file reaches the disk before its name does; else it is just written.
  bool compressed = true;               ///< Of EXR: else larger, but written and read several times as fast.
  double fps = 0;                       ///< 0: not said.
};

/// Loads what reads and writes picture files beside what goes on meanwhile, where they will be needed soon. Whoever expects them waits for the end of the
/// loading when this goes: libraries must not begin while the program ends.
[[nodiscard]] std::jthread expectPictures();

/// The same in full precision (.png, .exr, .jpg). Errors: the same.
Status writeValues(const std::filesystem::path& path, const PictureValues& values, const PictureEncoding& encoding);

/// A picture file as it stands, whatever it is of.
struct StoredPicture {
  int width = 0, height = 0;            ///< Of the pixels that are there.
  int left = 0, top = 0;                ///< Of their first one in the whole picture.
  int full_width = 0, full_height = 0;  ///< Of that.
  std::vector<std::string> channels;
  std::string depth;          ///< "uint8", "uint16", "half", "float".
  std::vector<float> values;  ///< Row by row, all channels of a pixel together; integers 0 to 1.

  const float* at(int x, int y) const { return values.data() + (static_cast<std::size_t>(y) * width + x) * channels.size(); }
};
/// Errors: Unreadable: missing, damaged, cut off.
Result<StoredPicture> readStoredPicture(const std::filesystem::path& path);
/// Reads one of a format that stands line by line to its end, a few lines at a time, and keeps none: whether it is whole, and all but its values.
/// Errors: the same.
Result<StoredPicture> readThroughPicture(const std::filesystem::path& path);

}  // namespace dusky
