#pragma once
#include <memory>

#include "core/image/frame_source.h"
#include "core/media/sequence.h"
#include "core/media/write_picture.h"

namespace dusky {

/// What reads and writes picture files. It lies in a shared library of its own, loaded when the first picture file is met: the libraries
/// that know their formats take half a second to load, which a movie need not wait for.
struct PictureModule {
  Result<std::unique_ptr<FrameSource>> (*open_sequence)(Sequence sequence);
  Status (*write)(const std::filesystem::path& path, const Picture& picture);
  Status (*write_values)(const std::filesystem::path& path, const PictureValues& values, const PictureEncoding& encoding);
  Result<StoredPicture> (*read_stored)(const std::filesystem::path& path);
  Result<StoredPicture> (*read_through)(const std::filesystem::path& path);
};

inline constexpr char kPictureModule[] = "libdusky_pictures.so", kPictureModuleEntry[] = "duskyPictureModule";

/// Loads it once. Errors: Unreadable when it is not where the program was installed.
Result<const PictureModule*> pictureModule();

}  // namespace dusky
