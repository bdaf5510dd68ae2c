#pragma once
#include <filesystem>
#include <memory>

#include "core/image/frame_source.h"

namespace dusky {

/// A movie, decoded by the FFmpeg libraries. Frames are numbered from 1 in display order.
/// The frames are counted from the packets (nothing decoded), so a truncated file shows as what is really there.
/// Errors: Unreadable: not a movie, no picture stream, no decoder, damaged.
Result<std::unique_ptr<FrameSource>> openMovie(const std::filesystem::path& path);

}  // namespace dusky
