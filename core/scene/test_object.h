#pragma once
#include <array>
#include <string_view>
#include <vector>

#include "core/scene/scene.h"

namespace dusky {

enum class ObjectShape { Cone, Cube, Card, Floor, Figure };
/// "cone", "cube" ...
std::string_view describe(ObjectShape shape);

/// A solid test object standing in the scene; sizes in scene units.
struct TestObject {
  int id = 0;
  ObjectShape shape = ObjectShape::Cone;
  int track = 0;                 ///< The track it stands on.
  double size = 0.3;             ///< Height, or side of a floor, > 0.
  double turn_deg = 0;           ///< About its own upright axis.
  std::vector<int> plane;        ///< Tracks whose plane it stands on, three or more; else it stands upright.
  double along = 0, across = 0;  ///< How far it was moved on that plane from its track, along its x and z before it was turned, scene units.
  bool operator==(const TestObject&) const = default;
};

/// Where an object stands and how: its axes before and after it was turned about its upright one, in scene coordinates.
struct ObjectStand {
  Vec3 foot = Vec3::Zero();
  Mat3 base = Mat3::Identity(), turn = Mat3::Identity();  ///< Columns: x, upwards, z.
};

/// Nothing where its track has no place.
std::optional<ObjectStand> standOf(const TestObject& object, const Solution& solution, const SceneFrame& scene);

/// A flat piece of a solid, in scene coordinates; corners anticlockwise seen from outside, |normal| = 1 outwards.
struct SolidFace {
  std::array<Vec3, 3> corners;
  Vec3 normal = Vec3::UnitY();
  double shade = 1;  ///< Of its surface: dark squares have less.
};

/// The object's surface, standing on its track; empty when the track has no place. Faces are small enough to be drawn as
/// straight triangles through a lens with usual distortion.
std::vector<SolidFace> solidOf(const TestObject& object, const Solution& solution, const SceneFrame& scene);

/// The outline of the shadow that it throws on the plane it stands on, in scene coordinates, as if it were convex; empty when the track has no place, for a
/// floor, and where the light hardly falls on that plane.
std::vector<Vec3> shadowOf(const TestObject& object, const Solution& solution, const SceneFrame& scene);

/// How test objects are lit everywhere: the light a face with this outward normal gets, 0 to 1.
double lightOn(const Vec3& normal);
/// The colour of a face that gets all of it.
inline constexpr std::array<double, 3> kSolidTint = {0.80, 0.74, 0.90};

/// A height that looks right beside the track: a tenth of its distance from the middle camera, in scene units, rounded to 1, 2 or 5.
double usualSize(const Solution& solution, const SceneFrame& scene, int track);

/// Ends of lines of the ground grid (y = 0) in scene coordinates, `reach` lines to each side of the origin, `spacing` apart.
std::vector<std::array<Vec3, 2>> groundGrid(double spacing, int reach);

/// A grid spacing of 1, 2 or 5 times a power of ten so that about ten lines lie under the kept points.
double gridSpacing(const Solution& solution, const SceneFrame& scene);

}  // namespace dusky
