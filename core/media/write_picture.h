#pragma once
#include <filesystem>

#include "core/base/result.h"
#include "core/image/plane.h"

namespace dusky {

/// Writes a picture in the kind that the name's ending says (.png, .exr). It stands whole under its name or not at all.
/// Errors: CannotWrite with the reason.
Status writePicture(const std::filesystem::path& path, const Picture& picture);

}  // namespace dusky
