#pragma once
#include <QColor>

#include "core/scene/test_object.h"

namespace dusky::desktop {

/// The colour of a face that gets this much light.
inline QColor solidColor(double light) {
  const auto part = [light](double tint) { return static_cast<float>(tint * light); };
  return QColor::fromRgbF(part(kSolidTint[0]), part(kSolidTint[1]), part(kSolidTint[2]));
}

}  // namespace dusky::desktop
