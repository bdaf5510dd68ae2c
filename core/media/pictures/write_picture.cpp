#include <OpenImageIO/imageio.h>
#include <fmt/format.h>

#include "core/media/pictures/formats.h"

namespace dusky {

Status writePictureFile(const std::filesystem::path& path, const Picture& picture) {
  // The ending decides the kind, so the temporary name keeps it.
  const std::filesystem::path beside = path.parent_path() / ("." + path.stem().string() + ".part" + path.extension().string());
  const auto fail = [&](const std::string& reason) {
    std::error_code ignored;
    std::filesystem::remove(beside, ignored);
    return cannotWrite(fmt::format("Cannot write {}: {}.", path.string(), reason));
  };
  const auto out = OIIO::ImageOutput::create(beside.string());
  if (!out) return fail(OIIO::geterror());
  if (!out->open(beside.string(), OIIO::ImageSpec(picture.width, picture.height, 3, OIIO::TypeDesc::UINT8)) ||
      !out->write_image(OIIO::TypeDesc::UINT8, picture.data.data()) || !out->close())
    return fail(out->geterror());
  std::error_code failed;
  std::filesystem::rename(beside, path, failed);
  if (failed) return fail(failed.message());
  return Done{};
}

}  // namespace dusky
