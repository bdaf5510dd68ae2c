#pragma once
#include <cstdint>
#include <functional>
#include <string>

#include "core/media/write_picture.h"

namespace dusky {

/// Pixels row by row for a PNG file.
struct PngRows {
  int width = 0, height = 0;
  int channels = 3;                                         ///< 1 grey, 3 colours.
  int bytes = 1;                                            ///< Of a value: 1 or 2.
  std::function<void(int y, std::uint8_t* row)> fill = {};  ///< Puts a row's values there, of two bytes the higher one first.
};

/// A whole PNG file (ISO/IEC 15948). Its pixels are coded as what they differ from the one to the left, at the fastest level there is: grain does not
/// compress, and what searches for more costs time alone. Empty where libpng finds no room or the rows are of no kind that it knows.
std::string encodePng(const PngRows& rows, const PictureEncoding& encoding);

}  // namespace dusky
