#pragma once
#include <string>
#include <vector>

#include "core/base/result.h"
#include "core/image/plane.h"

namespace dusky {

/// What is known of footage before its pictures are read.
struct FootageInfo {
  std::string path;  ///< As the artist gave it.
  std::string kind;  ///< "movie (h264)", "sequence (png)".
  int width = 0, height = 0;
  double fps = 24.0;
  int first = 1, last = 1;                 ///< Frame numbers, both included.
  std::vector<int> missing = {};           ///< Numbers between them that the footage has no picture for, ascending.
  double pixel_aspect = 1;                 ///< Width of a pixel over its height, as the file says it.
  double focal_mm = 0;                     ///< From the file's metadata, a hint: 0 when it says nothing.
  double focal_35_mm = 0;                  ///< The same as on a 36 mm wide sensor.
  bool has_alpha = false;                  ///< Whether its pictures say how opaque they are.
  std::vector<std::string> warnings = {};  ///< What is unusual about the footage, in sentences.
  int frames() const { return last - first + 1 - static_cast<int>(missing.size()); }
  /// Whether there is a picture of this number.
  bool has(int frame) const;
};

struct FrameRange {
  int first = 0, last = 0;  ///< Both included; 0, 0: all of the footage.
  bool operator==(const FrameRange&) const = default;
};

/// The range with 0, 0 made definite. Errors: InvalidInput when it is not within the footage.
Result<FrameRange> rangeIn(const FootageInfo& info, FrameRange asked);

/// What a frame is read for. Tracking needs no full-size colours: its picture may be a fraction of the footage's size. Following: the same,
/// and the luma may come as the bytes that the footage holds, in Frame::bytes. Alpha: no picture, and for luma how opaque the footage is,
/// 0 to 255; only where FootageInfo says that it has alpha. Plate: Frame::values alone, as the footage holds them.
enum class FrameUse { Screen, Tracking, Following, Alpha, Plate };

/// Luma as 8-bit footage holds it.
struct LumaBytes {
  Plane<std::uint8_t> values;
  float black = 0, scale = 1;  ///< Luma is scale * (value - black).
};

struct Frame {
  int number = 0;
  Picture picture;      ///< For the screen, or a smaller one for the colours of points.
  FloatPlane luma;      ///< For tracking: Rec. 709 weights on display-referred values, 0 to 255, at the source's own precision.
  LumaBytes bytes;      ///< In its place, where it was read for Following and is not empty.
  FloatPicture values;  ///< Read for Plate: 0 to 1 from black to white, or light itself where `linear`, without end then.
  bool linear = false;  ///< Of `values`.
};

/// Frames by number, one at a time. Reading in order is cheap; a jump may cost a seek. Not shared between threads.
class FrameSource {
 public:
  virtual ~FrameSource() = default;
  virtual const FootageInfo& info() const = 0;
  /// Errors: InvalidInput outside first..last and for missing frames; Unreadable naming the frame.
  virtual Result<Frame> read(int number, FrameUse use = FrameUse::Screen) = 0;
};
}  // namespace dusky
