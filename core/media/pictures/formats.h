#pragma once
#include <memory>

#include "core/image/frame_source.h"
#include "core/media/sequence.h"

namespace dusky {

/// openSequence and writePicture, on this side of the picture module.
Result<std::unique_ptr<FrameSource>> openSequenceFiles(Sequence sequence);
Status writePictureFile(const std::filesystem::path& path, const Picture& picture);

}  // namespace dusky
