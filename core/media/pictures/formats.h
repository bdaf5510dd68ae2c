#pragma once
#include <memory>

#include "core/image/frame_source.h"
#include "core/media/sequence.h"
#include "core/media/write_picture.h"

namespace dusky {

/// openSequence, writePicture, writeValues, readStoredPicture and readThroughPicture, on this side of the picture module.
Result<std::unique_ptr<FrameSource>> openSequenceFiles(Sequence sequence);
Status writePictureFile(const std::filesystem::path& path, const Picture& picture);
Result<StoredPicture> readStoredFile(const std::filesystem::path& path);
Result<StoredPicture> readThroughFile(const std::filesystem::path& path);
Status writeValuesFile(const std::filesystem::path& path, const PictureValues& values, const PictureEncoding& encoding);

}  // namespace dusky
