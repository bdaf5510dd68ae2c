#pragma once
#include <filesystem>
#include <memory>

#include "core/image/frame_source.h"

namespace dusky {

/// Opens a movie, one picture of an image sequence, or a folder that holds one sequence.
/// Movies: what the FFmpeg libraries decode; frame numbers start at 1. Sequences: PNG, JPEG, TIFF, DPX, EXR (the first
/// part; its display window); frame numbers are the files' own, gaps stay gaps. Nothing is decoded here but the first frame's header.
/// Errors: Unreadable with one sentence: no such path, no picture in it, not a movie, several sequences.
Result<std::unique_ptr<FrameSource>> openFootage(const std::filesystem::path& path);

/// The name endings that openFootage takes as pictures (lower case, with the dot).
bool isPictureFile(const std::filesystem::path& path);

/// luma from a display-referred picture: Rec. 709 weights, 0 to 255.
FloatPlane lumaOf(const Picture& picture);

}  // namespace dusky
