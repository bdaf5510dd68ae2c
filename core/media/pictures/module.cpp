#include "core/media/picture_module.h"
#include "core/media/pictures/formats.h"

extern "C" const dusky::PictureModule* duskyPictureModule() {
  static const dusky::PictureModule module{dusky::openSequenceFiles, dusky::writePictureFile, dusky::writeValuesFile, dusky::readStoredFile,
                                           dusky::readThroughFile};
  return &module;
}
