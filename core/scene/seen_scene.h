#pragma once
#include <array>
#include <optional>
#include <vector>

#include "core/lens/lens.h"
#include "core/scene/test_object.h"

namespace dusky {

/// The camera of one frame in scene coordinates, with the lens of that frame.
struct SceneCamera {
  Pose pose;
  Lens lens;

  /// Where a place of the scene is seen, px; nothing where it is behind the camera or outside the lens's monotonic range.
  std::optional<Vec2> see(const Vec3& place) const;
};

/// Nothing where the solve has no camera.
std::optional<SceneCamera> cameraIn(const Solution& solution, const SceneFrame& scene, int frame);

/// A flat piece of a test object in the picture.
struct SeenFace {
  std::array<Vec2, 3> outline;
  double light = 1;  ///< What it gets of it, 0 to 1.
  double depth = 0;  ///< Mean distance from the camera, scene units.
};

/// What test objects show to the camera, farthest first.
std::vector<SeenFace> facesSeen(const SceneCamera& camera, const std::vector<TestObject>& objects, const Solution& solution, const SceneFrame& scene);

/// Outlines of the shadows that they throw on the level that they stand on.
std::vector<std::vector<Vec2>> shadowsSeen(const SceneCamera& camera, const std::vector<TestObject>& objects, const Solution& solution,
                                           const SceneFrame& scene);

/// The ground grid through the lens, as lines of many points.
std::vector<std::vector<Vec2>> gridSeen(const SceneCamera& camera, const Solution& solution, const SceneFrame& scene);

/// A straight line of the scene through the lens; in pieces where parts of it are out of sight.
std::vector<std::vector<Vec2>> lineSeen(const SceneCamera& camera, const Vec3& from, const Vec3& to, int pieces = 56);

}  // namespace dusky
