#pragma once
#include <memory>

#include "core/image/frame_source.h"
#include "core/media/sequence.h"

namespace dusky {

/// Reads a sequence through OpenImageIO. Integer pictures count as display-referred; float ones (EXR) as linear light,
/// shown and tracked through the sRGB curve, values over 1 clipped.
/// Errors: Unreadable when the first picture's header cannot be read.
Result<std::unique_ptr<FrameSource>> openSequence(Sequence sequence);

}  // namespace dusky
