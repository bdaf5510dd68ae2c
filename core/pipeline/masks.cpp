#include "core/media/footage.h"
#include "core/pipeline/steps.h"

namespace dusky {

Result<std::unique_ptr<MaskSet>> makeMasks(const MaskSettings& settings, const FootageInfo& footage, int frame_offset, const std::vector<int>& frames) {
  MaskSources sources;
  if (!settings.mattes.folder.empty()) {
    auto opened = openFootage(settings.mattes.folder);
    if (!opened.ok()) return Error{opened.error().kind, "Mattes: " + opened.error().message};
    sources.mattes = std::move(*opened);
  }
  if (settings.alpha.used && footage.has_alpha) {
    auto opened = openShot(footage.path, {.frame_offset = frame_offset});
    if (!opened.ok()) return opened.error();
    sources.footage = std::move(*opened);
  }
  return MaskSet::make(settings, footage, std::move(sources), frames);
}
}  // namespace dusky
