#pragma once
#include <nlohmann/json.hpp>

#include "core/geometry/pose.h"

namespace dusky {

/// The four rows of a matrix from camera to world.
inline nlohmann::ordered_json poseRows(const Mat3& turn, const Vec3& centre) {
  nlohmann::ordered_json rows = nlohmann::ordered_json::array();
  for (int k = 0; k < 3; ++k) rows.push_back({turn(k, 0), turn(k, 1), turn(k, 2), centre[k]});
  rows.push_back({0, 0, 0, 1});
  return rows;
}

}  // namespace dusky
