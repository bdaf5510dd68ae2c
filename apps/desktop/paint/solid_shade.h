#pragma once
#include <QColor>
#include <algorithm>

#include "core/geometry/pose.h"

namespace dusky::desktop {

/// How test objects are lit, the same in Plate and Space: the light a face with this outward normal gets, 0 to 1.
inline double lightOn(const Vec3& normal) {
  const Vec3 light = Vec3(-0.4, 0.8, 0.45).normalized();
  return 0.35 + 0.65 * std::max(0.0, normal.dot(light));
}

/// The colour of a face that gets this much light.
inline QColor solidColor(double light) {
  return QColor::fromRgbF(static_cast<float>(0.80 * light), static_cast<float>(0.74 * light), static_cast<float>(0.90 * light));
}

}  // namespace dusky::desktop
