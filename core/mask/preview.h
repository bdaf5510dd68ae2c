#pragma once
#include "core/mask/frame_masks.h"

namespace dusky {

/// The picture with what is left out dimmed and hatched. Shapes: equally large.
Picture previewOf(const Picture& picture, const LeftOut& left_out);

}  // namespace dusky
