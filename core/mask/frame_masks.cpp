#include "core/mask/frame_masks.h"

#include <cmath>

namespace dusky {

double leftOutShare(const LeftOut& left_out, const Eigen::Vector2d& place, double radius_px) {
  if (left_out.empty()) return 0;
  int out = 0, all = 0;
  for (int j = -2; j <= 2; ++j) {
    for (int i = -2; i <= 2; ++i) {
      const int x = static_cast<int>(std::floor(place.x() + 0.4 * i * radius_px)), y = static_cast<int>(std::floor(place.y() + 0.4 * j * radius_px));
      if (x < 0 || y < 0 || x >= left_out.width || y >= left_out.height) continue;
      ++all;
      out += left_out.at(x, y) != 0;
    }
  }
  return all > 0 ? static_cast<double>(out) / all : 1;
}
}  // namespace dusky
