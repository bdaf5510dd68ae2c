#pragma once
#include <optional>
#include <string>
#include <vector>

#include "core/geometry/plane.h"
#include "core/solve/solution.h"

namespace dusky {

/// A known distance between two tracks.
struct KnownLength {
  int from = 0, to = 0;  ///< Track ids.
  double metres = 1.0;   ///< > 0.
  bool operator==(const KnownLength&) const = default;
};

/// A line between two tracks that shall run along the world's X axis.
struct KnownDirection {
  int from = 0, to = 0;
  bool operator==(const KnownDirection&) const = default;
};

/// What the artist said about the world. Everything left open is guessed.
struct SceneSettings {
  std::vector<int> ground;  ///< Track ids on the ground plane, three or more.
  std::optional<int> origin;
  std::optional<KnownDirection> direction;
  std::optional<KnownLength> length;
  bool operator==(const SceneSettings&) const = default;
};

/// The world that a delivery is in: right-handed, Y up.
struct SceneFrame {
  Similarity scene_from_solve;
  bool ground_found = false;     ///< Picked, or seen as the dominant plane under the camera.
  bool metric = false;           ///< Units are metres.
  double ground_rms = kUnknown;  ///< Distance of the picked points from their plane, scene units; unknown when guessed.
  std::string_view unit() const { return metric ? "m" : "units"; }
};

/// Places the solved world: ground to y = 0, up to Y, X along the known direction, origin and scale as picked.
/// Guesses where nothing is picked: the dominant level plane under the camera path; the origin on it under the middle of
/// the path; X to the right of the first camera; the camera 1.6 units above it (else half of the points within 10 units).
/// Errors: InvalidInput naming the pick: a track without a place, ground points on one line, a length of zero.
Result<SceneFrame> orientScene(const Solution& solution, const SceneSettings& settings);

}  // namespace dusky
