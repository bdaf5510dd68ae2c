#pragma once
#include <array>
#include <string>
#include <vector>

#include "core/scene/scene.h"

namespace dusky {

/// A plane or line that shaped a solve, as it is drawn: a grid about its tracks, or a line along them. Its size is for the eye only.
struct SetOutline {
  std::string name;
  std::vector<std::array<Vec3, 2>> lines;  ///< Ends, scene coordinates.
  Vec3 label = Vec3::Zero();               ///< Where its name stands.
  std::vector<Vec3> corners = {};          ///< Of a plane, round about; of a line its ends.
};
/// Upright planes stand with their grid, level ones lie along X where they can.
std::vector<SetOutline> setOutlines(const Solution& solution, const SceneFrame& scene);

}  // namespace dusky
