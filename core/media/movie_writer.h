#pragma once
#include <filesystem>
#include <memory>

#include "core/base/result.h"
#include "core/image/plane.h"

namespace dusky {

/// How a movie is written.
struct MovieFormat {
  int width = 0, height = 0;  ///< px, even numbers.
  double fps = 24;
  double pixel_aspect = 1;  ///< Width of a pixel over its height.
  int quality = 18;         ///< Constant rate factor of the encoder: 0 without loss, 18 hardly told from that, 51 worst.
};

/// Writes an H.264 movie (MP4, BT.709, 4:2:0) that stands whole under its name or not at all. Not shared between threads.
class MovieWriter {
 public:
  /// Errors: InvalidInput for a size that is not even or not over 0; CannotWrite: the place, or that this machine's FFmpeg has no H.264 encoder.
  static Result<MovieWriter> create(const std::filesystem::path& path, const MovieFormat& format);
  MovieWriter(MovieWriter&&) noexcept;
  MovieWriter& operator=(MovieWriter&&) = delete;
  ~MovieWriter();

  /// The next frame, of the movie's size. Errors: CannotWrite.
  Status write(const Picture& picture);
  /// Ends the movie and gives it its name; without it nothing stays. Errors: CannotWrite.
  Status finish();

 private:
  class Encoder;
  explicit MovieWriter(std::unique_ptr<Encoder> encoder);
  std::unique_ptr<Encoder> encoder_;
};

}  // namespace dusky
