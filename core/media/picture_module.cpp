#include "core/media/picture_module.h"

#include <dlfcn.h>
#include <fmt/format.h>

#include "core/media/sequence_source.h"
#include "core/media/write_picture.h"

namespace dusky {
namespace {

Result<const PictureModule*> load() {
  void* library = dlopen(kPictureModule, RTLD_LAZY | RTLD_LOCAL);
  if (!library)
    return unreadable(
        fmt::format("Picture files need {}, which does not load ({}). It belongs to the program: build or install it anew.", kPictureModule, dlerror()));
  const auto entry = reinterpret_cast<const PictureModule* (*)()>(dlsym(library, kPictureModuleEntry));
  if (!entry) return unreadable(fmt::format("{} is not of this program: build or install it anew.", kPictureModule));
  return entry();
}

}  // namespace

Result<const PictureModule*> pictureModule() {
  static const Result<const PictureModule*> module = load();
  return module;
}

std::jthread expectPictures() {
  return std::jthread([] { (void)pictureModule(); });
}

Result<std::unique_ptr<FrameSource>> openSequence(Sequence sequence) {
  const auto module = pictureModule();
  if (!module.ok()) return module.error();
  return (*module)->open_sequence(std::move(sequence));
}

Status writePicture(const std::filesystem::path& path, const Picture& picture) {
  const auto module = pictureModule();
  if (!module.ok()) return module.error();
  return (*module)->write(path, picture);
}

Status writeValues(const std::filesystem::path& path, const PictureValues& values, const PictureEncoding& encoding) {
  const auto module = pictureModule();
  if (!module.ok()) return module.error();
  return (*module)->write_values(path, values, encoding);
}

Result<StoredPicture> readStoredPicture(const std::filesystem::path& path) {
  const auto module = pictureModule();
  if (!module.ok()) return module.error();
  return (*module)->read_stored(path);
}

Result<StoredPicture> readThroughPicture(const std::filesystem::path& path) {
  const auto module = pictureModule();
  if (!module.ok()) return module.error();
  return (*module)->read_through(path);
}

}  // namespace dusky
