#include "core/dense/measure.h"

#include <algorithm>
#include <cmath>

#include "core/base/numbers.h"

namespace dusky {

PlacesMeasured measured(const std::vector<Vec3>& places) {
  PlacesMeasured m;
  for (std::size_t k = 1; k < places.size(); ++k) m.lengths.push_back((places[k] - places[k - 1]).norm());
  if (places.size() < 3) return m;
  m.plane = fitPlane(places);
  if (!m.plane) return m;
  if (m.plane->normal.y() < 0) m.plane->normal = -m.plane->normal, m.plane->offset = -m.plane->offset;
  double squares = 0;
  for (const Vec3& place : places) squares += m.plane->distance(place) * m.plane->distance(place);
  m.plane_rms = std::sqrt(squares / static_cast<double>(places.size()));
  m.tilt_deg = std::acos(std::clamp(m.plane->normal.y(), 0.0, 1.0)) * 180 / M_PI;
  return m;
}

}  // namespace dusky
