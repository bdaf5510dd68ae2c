#include "core/media/footage.h"

#include <fmt/format.h>

#include <algorithm>
#include <array>

#include "core/base/atomic_file.h"
#include "core/base/json_text.h"
#include "core/base/paths.h"
#include "core/image/tone.h"
#include "core/media/movie_source.h"
#include "core/media/sequence.h"
#include "core/media/sequence_source.h"

namespace dusky {

bool isPictureFile(const std::filesystem::path& path) {
  static constexpr std::array<std::string_view, 7> endings = {"png", "jpg", "jpeg", "tif", "tiff", "exr", "dpx"};
  return std::find(endings.begin(), endings.end(), endingOf(path)) != endings.end();
}

FloatPlane lumaOf(const Picture& picture) { return channelOf(picture, Channel::Luma); }

Result<std::unique_ptr<FrameSource>> openFootage(const std::filesystem::path& path) {
  std::error_code failed;
  if (path.empty()) return unreadable("Name the footage: a movie, one picture of a sequence, or a folder.");
  // Projects and reports name it in text.
  if (!isUtf8(path.string())) return unreadable("The footage's name holds bytes that are no text (UTF-8). Rename it, or its folder.");
  const bool folder = std::filesystem::is_directory(path, failed);
  if (const Status fine = folder ? Status(Done{}) : checkReadable(path); !fine.ok()) return fine.error();
  if (folder || isPictureFile(path)) {
    auto sequence = findSequence(path);
    if (!sequence.ok()) return sequence.error();
    return openSequence(std::move(*sequence));
  }
  return openMovie(path);
}

}  // namespace dusky
