#pragma once
#include <optional>
#include <string>
#include <vector>

#include "core/geometry/plane.h"
#include "core/knowledge/knowledge.h"
#include "core/knowledge/placement.h"
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
  std::optional<CameraHeight> height;  ///< Sets the scale where no distance does.
  SceneMove move;                      ///< After all that.
  UpAxis up = UpAxis::Y;               ///< Of the world that deliveries and numbers speak of.
  bool operator==(const SceneSettings&) const = default;
};

/// What of a scene may be moved by hand: what is known stays.
struct SceneFreedom {
  bool shift = true;  ///< Over the ground.
  bool lift = true;   ///< Up and down.
  bool tilt = true;   ///< Off what is up.
  bool turn = true;   ///< About what is up.
  bool scale = true;  ///< Not where it is in metres.
};

/// The world that the set is in: right-handed, Y up.
struct SceneFrame {
  Similarity scene_from_solve;
  bool ground_found = false;         ///< Picked, or seen as the dominant plane under the camera.
  bool metric = false;               ///< Units are metres.
  bool surveyed = false;             ///< The world is that of a survey, or of known positions of the camera: nothing else places it.
  std::vector<int> ground_outliers;  ///< Of the picked points: those that do not lie in the others' plane, and have no part in it.
  double sigma_up_rad = kUnknown;    ///< Of what is up, where it was guessed: one standard deviation.
  double ground_rms = kUnknown;      ///< Distance of the picked points from their plane, scene units; unknown when guessed.
  SceneMove moved;                   ///< By hand, as far as it is free; in the scene's units.
  SceneFreedom free;
  UpAxis up = UpAxis::Y;
  /// What tables and reports tell of it: turned where Z is to be up. glTF has Y up always.
  Similarity worldFromSolve() const { return Similarity{1, upAxisTurn(up), Vec3::Zero()} * scene_from_solve; }
  std::string_view unit() const { return metric ? "m" : "units"; }
};

/// Places the solved world, without solving again. A survey of three or more of its tracks places it alone, by least squares and in spite of outliers; else
/// ground to y = 0, up to Y, X along the known direction, origin and scale as picked.
/// Guesses where nothing is picked: what is up (guess_up.h); the ground where the dominant plane lies under the path; the origin on it under the middle of
/// the path; X to the right of the first camera; the camera 1.6 units above it (else half of the points within 10 units).
/// What is up, the scale and the turn are those that shaped the solve, where any did; several known distances give the scale together, the surer the more, else
/// the camera's height.
/// Last it is moved by hand, but for what is known: a survey leaves nothing, a known up only turns about it, metres no scale, a camera's height no lift. A move
/// made before the scene was in metres goes on in proportion.
/// Errors: InvalidInput naming the pick: a track without a place, ground points on one line, a length of zero, a height of a camera that does not stand above
/// the ground.
Result<SceneFrame> orientScene(const Solution& solution, const SceneSettings& settings, const Knowledge& knowledge = {});

/// The scene as it is once it is moved by hand in another way, without looking at the solve again.
SceneFrame movedTo(const SceneFrame& scene, const SceneMove& move);

/// All distances that are known and on: the one that sets the scene's scale first, where no other is between the same two.
std::vector<KnownDistance> knownDistances(const SceneSettings& settings, const Knowledge& knowledge);

/// How far what is known of lengths and places is off in a scene, without solving again.
struct SceneResidual {
  std::string name;
  std::vector<int> tracks;  ///< Two of a distance, one of a survey point, none of a camera's height.
  double said = 0;          ///< Metres; of a survey point 0.
  double found = kUnknown;  ///< In the scene; of a survey point, how far off it stands.
  bool survey() const { return tracks.size() == 1; }
  /// Share that a distance is off.
  double share() const { return found / said - 1; }
};
std::vector<SceneResidual> sceneResiduals(const Solution& solution, const SceneFrame& scene, const SceneSettings& settings, const Knowledge& knowledge);

}  // namespace dusky
