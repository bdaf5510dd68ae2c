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

/// All that leaves out parts of the picture.
struct MaskSettings {
  std::vector<Mask> shapes;
  MatteSettings mattes;
  bool any() const { return !shapes.empty() || !mattes.folder.empty(); }
  bool operator==(const MaskSettings&) const = default;

  /// Errors: InvalidInput naming the mask and what is out of range.
  Status check() const;
};

/// What the shapes leave out of a frame of a size: inside any that leaves out, and outside all that say "only inside".
LeftOut leftOutByShapes(const std::vector<Mask>& shapes, int frame, int width, int height);

/// Shapes and mattes together.
class MaskSet final : public FrameMasks {
 public:
  /// `mattes` is the opened folder, or nothing; `frames` are those that will be asked for.
  /// Errors: InvalidInput: mattes of another size than the footage; frames without a matte, named.
  static Result<std::unique_ptr<MaskSet>> make(MaskSettings settings, const FootageInfo& footage, std::unique_ptr<FrameSource> mattes,
                                               const std::vector<int>& frames);
  Result<LeftOut> leftOut(int frame) override;

 private:
  MaskSet(MaskSettings settings, int width, int height, std::unique_ptr<FrameSource> mattes)
      : settings_(std::move(settings)), width_(width), height_(height), mattes_(std::move(mattes)) {}

  const MaskSettings settings_;
  const int width_, height_;
  std::unique_ptr<FrameSource> mattes_;
};

}  // namespace dusky
