#include <OpenImageIO/filesystem.h>
#include <OpenImageIO/imageio.h>
#include <fmt/format.h>

#include "core/base/atomic_file.h"
#include "core/media/pictures/formats.h"

namespace dusky {

/// Encoded in memory: what writes files tells a full disk, the libraries do not all.
Status writePictureFile(const std::filesystem::path& path, const Picture& picture) {
  const auto fail = [&](std::string_view reason) { return cannotWrite(fmt::format("Cannot write {}: {}.", path.string(), reason)); };
  const std::string ending = path.extension().string();
  const auto out = OIIO::ImageOutput::create("a" + ending);
  if (!out || !out->supports("ioproxy")) return fail(fmt::format("pictures that end in \"{}\" are not written", ending));
  std::vector<unsigned char> bytes;
  OIIO::Filesystem::IOVecOutput memory(bytes);
  out->set_ioproxy(&memory);
  const bool encoded = out->open("a" + ending, OIIO::ImageSpec(picture.width, picture.height, 3, OIIO::TypeDesc::UINT8)) &&
                       out->write_image(OIIO::TypeDesc::UINT8, picture.data.data()) && out->close();
  if (!encoded) return fail(fmt::format("a picture of {}×{} cannot be encoded", picture.width, picture.height));
  return writeFileAtomically(path, {reinterpret_cast<const char*>(bytes.data()), bytes.size()});
}

}  // namespace dusky
