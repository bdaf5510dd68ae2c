#pragma once
#include <memory>

#include "core/image/frame_source.h"
#include "core/mask/frame_masks.h"
#include "core/mask/mask.h"

namespace dusky {

/// How a folder of matte pictures is read. A matte belongs to the footage's frame of the same number; light means left out.
struct MatteSettings {
  std::string folder;      ///< Empty: none.
  double threshold = 0.5;  ///< From this share of white on a pixel is left out, 0 to 1.
  double grow_px = 0;      ///< -500 to 500.
  bool inverted = false;   ///< Dark means left out.
  bool operator==(const MatteSettings&) const = default;
};

/// How the footage's own alpha is read: what is transparent is left out.
struct AlphaSettings {
  bool used = false;
  double threshold = 0.5;  ///< Under this opacity a pixel is left out, 0 to 1.
  double grow_px = 0;      ///< -500 to 500.
  bool inverted = false;   ///< What is opaque is left out.
  bool operator==(const AlphaSettings&) const = default;
};

/// All that leaves out parts of the picture.
struct MaskSettings {
  std::vector<Mask> shapes;
  MatteSettings mattes;
  AlphaSettings alpha;
  bool any() const { return !shapes.empty() || !mattes.folder.empty() || alpha.used; }
  bool operator==(const MaskSettings&) const = default;

  /// Errors: InvalidInput naming the mask and what is out of range.
  Status check() const;
};

/// What the shapes leave out of a frame of a size: inside any that leaves out, and outside all that say "only inside".
LeftOut leftOutByShapes(const std::vector<Mask>& shapes, int frame, int width, int height);

/// Where mattes and alpha are read from; nothing where they are not used.
struct MaskSources {
  std::unique_ptr<FrameSource> mattes, footage;
};

/// Shapes, mattes and alpha together.
class MaskSet final : public FrameMasks {
 public:
  /// `frames` are those that will be asked for.
  /// Errors: InvalidInput: mattes of another size than the footage; frames without a matte, named; footage without alpha.
  static Result<std::unique_ptr<MaskSet>> make(MaskSettings settings, const FootageInfo& footage, MaskSources sources, const std::vector<int>& frames);
  Result<LeftOut> leftOut(int frame) override;
  /// Gives away where it reads from, for a set with other settings; this one is of no use any more.
  MaskSources takeSources() && { return std::move(sources_); }

 private:
  MaskSet(MaskSettings settings, int width, int height, MaskSources sources)
      : settings_(std::move(settings)), width_(width), height_(height), sources_(std::move(sources)) {}
  static Status checkMattes(const MatteSettings& settings, const FootageInfo& mattes, const FootageInfo& footage, const std::vector<int>& frames);

  const MaskSettings settings_;
  const int width_, height_;
  MaskSources sources_;
};
}  // namespace dusky
