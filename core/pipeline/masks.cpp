#include "core/media/footage.h"
#include "core/pipeline/steps.h"

namespace dusky {

Result<std::unique_ptr<MaskSet>> makeMasks(const Document& document, const FootageInfo& footage, const std::vector<int>& frames) {
  std::unique_ptr<FrameSource> mattes;
  if (!document.masks.mattes.folder.empty()) {
    auto opened = openFootage(document.masks.mattes.folder);
    if (!opened.ok()) return Error{opened.error().kind, "Mattes: " + opened.error().message};
    mattes = std::move(*opened);
  }
  return MaskSet::make(document.masks, footage, std::move(mattes), frames);
}

}  // namespace dusky
