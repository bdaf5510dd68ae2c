#include "core/media/footage.h"
#include "core/pipeline/steps.h"

namespace dusky {

Result<std::unique_ptr<MaskSet>> makeMasks(const MaskSettings& settings, const FootageInfo& footage, const std::vector<int>& frames) {
  std::unique_ptr<FrameSource> mattes;
  if (!settings.mattes.folder.empty()) {
    auto opened = openFootage(settings.mattes.folder);
    if (!opened.ok()) return Error{opened.error().kind, "Mattes: " + opened.error().message};
    mattes = std::move(*opened);
  }
  return MaskSet::make(settings, footage, std::move(mattes), frames);
}

}  // namespace dusky
