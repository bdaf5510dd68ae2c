#pragma once
#include <optional>
#include <string>
#include <vector>

#include "core/geometry/plane.h"
#include "core/knowledge/knowledge.h"
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
  bool ground_found = false;         ///< Picked, or seen as the dominant plane under the camera.
  bool metric = false;               ///< Units are metres.
  bool surveyed = false;             ///< The world is that of a survey, or of known positions of the camera: nothing else places it.
  std::vector<int> ground_outliers;  ///< Of the picked points: those that do not lie in the others' plane, and have no part in it.
  double sigma_up_rad = kUnknown;    ///< Of what is up, where it was guessed: one standard deviation.
  double ground_rms = kUnknown;      ///< Distance of the picked points from their plane, scene units; unknown when guessed.
  std::string_view unit() const { return metric ? "m" : "units"; }
};

/// Places the solved world, without solving again. A survey of three or more of its tracks places it alone, by least squares and in spite of outliers; else
/// ground to y = 0, up to Y, X along the known direction, origin and scale as picked.
/// Guesses where nothing is picked: what is up (guess_up.h); the ground where the dominant plane lies under the path; the origin on it under the middle of
/// the path; X to the right of the first camera; the camera 1.6 units above it (else half of the points within 10 units).
/// What is up, the scale and the turn are those that shaped the solve, where any did; several known
/// distances give the scale together, the surer the more.
/// Errors: InvalidInput naming the pick: a track without a place, ground points on one line, a length of zero.
Result<SceneFrame> orientScene(const Solution& solution, const SceneSettings& settings, const Knowledge& knowledge = {});

/// All distances that are known and on: the one that sets the scene's scale first, where no other is between the same two.
std::vector<KnownDistance> knownDistances(const SceneSettings& settings, const Knowledge& knowledge);

/// How far what is known of lengths and places is off in a scene, without solving again.
struct SceneResidual {
  std::string name;
  std::vector<int> tracks;
  bool survey = false;      ///< Else a distance.
  double said = 0;          ///< Metres; of a survey point 0.
  double found = kUnknown;  ///< In the scene; of a survey point, how far off it stands.
  /// Share that a distance is off.
  double share() const { return found / said - 1; }
};
std::vector<SceneResidual> sceneResiduals(const Solution& solution, const SceneFrame& scene, const SceneSettings& settings, const Knowledge& knowledge);

}  // namespace dusky
