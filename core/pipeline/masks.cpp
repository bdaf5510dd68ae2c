#include "core/media/footage.h"
#include "core/pipeline/steps.h"

namespace dusky {

Result<std::unique_ptr<MaskSet>> makeMasks(const MaskSettings& settings, const FootageInfo& footage, int frame_offset, const std::vector<int>& frames,
                                           MaskSources opened) {
  if (!settings.mattes.folder.empty() && !opened.mattes) {
    auto mattes = openFootage(settings.mattes.folder);
    if (!mattes.ok()) return Error{mattes.error().kind, "Mattes: " + mattes.error().message};
    opened.mattes = std::move(*mattes);
  }
  if (settings.alpha.used && footage.has_alpha && !opened.footage) {
    auto alpha = openShot(footage.path, {.frame_offset = frame_offset});
    if (!alpha.ok()) return alpha.error();
    opened.footage = std::move(*alpha);
  }
  return MaskSet::make(settings, footage, std::move(opened), frames);
}

Result<MaskSet*> LiveMasks::of(const MaskSettings& settings, const FootageInfo& footage, int frame_offset) {
  const bool same_shot = footage.path == footage_path_ && frame_offset == frame_offset_;
  if (set_ && same_shot && settings == settings_) return set_.get();
  MaskSources opened;
  if (set_ && same_shot) opened = std::move(*set_).takeSources();
  if (settings.mattes.folder.empty() || settings.mattes.folder != settings_.mattes.folder) opened.mattes.reset();
  if (!settings.alpha.used) opened.footage.reset();
  set_.reset();
  settings_ = settings, footage_path_ = footage.path, frame_offset_ = frame_offset;
  if (!settings.any()) return static_cast<MaskSet*>(nullptr);
  auto made = makeMasks(settings, footage, frame_offset, {}, std::move(opened));
  if (!made.ok()) return made.error();
  set_ = std::move(*made);
  return set_.get();
}
std::function<Result<Plane<std::uint8_t>>(int frame)> maskOfShot(const Document& document, const FootageInfo& footage) {
  if (!document.masks.any()) return {};
  return [&document, &footage, masks = std::shared_ptr<MaskSet>()](int frame) mutable -> Result<LeftOut> {
    if (!masks) {
      auto opened = makeMasks(document.masks, footage, document.footage.frame_offset, {});
      if (!opened.ok()) return opened.error();
      masks = std::move(*opened);
    }
    return masks->leftOut(frame);
  };
}
}  // namespace dusky
