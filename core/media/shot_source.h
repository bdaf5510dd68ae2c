#pragma once
#include "core/image/tone.h"
#include "core/media/footage.h"

namespace dusky {

/// How footage is taken: what the artist says about it over what the file says.
struct ShotView {
  double fps = 0;        ///< 0: the footage's own.
  int frame_offset = 0;  ///< Added to the footage's frame numbers.
  Tone tone;
  bool operator==(const ShotView&) const = default;

  /// Errors: InvalidInput naming what is out of range.
  Status check() const;
};

/// What is known of footage, seen that way.
FootageInfo seenAs(FootageInfo info, const ShotView& view);

/// Opens footage and gives its frames seen that way. With the best channel asked for, the first frame decides it for the whole shot.
/// Errors: as openFootage and ShotView::check.
Result<std::unique_ptr<FrameSource>> openShot(const std::filesystem::path& path, const ShotView& view);

}  // namespace dusky
