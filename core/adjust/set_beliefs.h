#pragma once
#include <cmath>
#include <variant>
#include <vector>

#include "core/geometry/pose.h"

namespace dusky {

// What is known of the set and of the camera's path, as a bundle takes it in. Shapes are looked for together with the cameras; beliefs say what lies on them
// and how they stand to each other. A belief's `weight` is the root-free one: the cost of a deviation d is weight * d^2, px^2. `statement` says which of the
// artist's statements it belongs to, -1: to a set itself.

/// A plane, normal . p = offset.
struct SetPlane {
  Vec3 normal = Vec3::UnitY();  ///< Of length 1.
  double offset = 0;
  bool free_normal = true, free_offset = true;

  /// Two tilts of the normal (tiltsOf), then the offset, as far as they are free.
  int unknowns() const { return (free_normal ? 2 : 0) + (free_offset ? 1 : 0); }
};

/// A straight line. Unknowns: two tilts of its direction (tiltsOf), two shifts along the same.
struct SetLine {
  Vec3 along = Vec3::UnitX();   ///< Of length 1.
  Vec3 through = Vec3::Zero();  ///< A place on it, in the middle of what lies on it.

  static constexpr int unknowns() { return 4; }
};

/// A place: three unknowns. A point that is tied to one takes part in beliefs about several points at once.
struct SetPlace {
  Vec3 at = Vec3::Zero();

  static constexpr int unknowns() { return 3; }
};

/// A length that several distances share. Unknown: how much longer it is.
struct SetLength {
  double length = 1;

  static constexpr int unknowns() { return 1; }
};

/// The world in which distances, a survey and positions are known. Unknowns: the logarithm of its scale, three of its turn (in the world's axes, after the
/// turn as it is), three of its shift, as far as they are free.
struct SetWorld {
  Similarity world_from_solve;
  bool free_scale = true, free_turn = true, free_shift = true;

  int unknowns() const { return (free_scale ? 1 : 0) + (free_turn ? 3 : 0) + (free_shift ? 3 : 0); }
  int turnAt() const { return free_scale ? 1 : 0; }
  int shiftAt() const { return turnAt() + (free_turn ? 3 : 0); }
};

using SetShape = std::variant<SetPlane, SetLine, SetPlace, SetWorld, SetLength>;

int unknownsOf(const SetShape& shape);
/// A shape after a step in its unknowns.
SetShape movedBy(const SetShape& shape, const Eigen::VectorXd& step);
/// Its unknowns, row by row, when everything else rotates about the axes, moves along them, and grows.
Eigen::Matrix<double, Eigen::Dynamic, 7> motionsOf(const SetShape& shape);
/// What two shapes' angle is between: a plane's normal, a line's direction. Zero of any other.
Vec3 axisOf(const SetShape& shape);
/// From a plane, a line or a place to another place, the shortest way. Zero of a world and a length.
Vec3 offVector(const SetShape& shape, const Vec3& place);
/// The two ways a direction can tilt, of length 1 and square to it and each other.
Eigen::Matrix<double, 3, 2> tiltsOf(const Vec3& direction);

/// Near it a cosine has no slope: what of the one axis lies across the other takes its place, two ways.
inline bool meansParallel(double cosine) { return std::abs(cosine) >= 0.999; }

/// A point or a camera's centre lies on a plane or a line, or is a place.
struct OnShape {
  int index = 0;  ///< Of the point or camera.
  int shape = 0;
  double weight = 0;  ///< px^2 per unit^2.
  bool camera = false;
  int statement = -1;
};

/// The angle between the axes of two shapes; near 0 and 180 degrees they are parallel.
struct AxisAngle {
  int a = 0, b = 0;
  double cosine = 0;
  double weight = 0;  ///< px^2 per rad^2.
  int statement = -1;
};

/// The angle between the axis of a shape and a direction of the world.
struct AxisInWorld {
  int shape = 0;
  Vec3 direction = Vec3::UnitY();  ///< Of length 1.
  double cosine = 1;
  double weight = 0;  ///< px^2 per rad^2.
  int statement = -1;
};

/// Where a plane stands in the world: its offset along its normal, as that points now.
struct OffsetInWorld {
  int shape = 0;
  double offset = 0, weight = 0;  ///< World units; px^2 per unit^2.
  int statement = -1;
};

/// How far two parallel planes are apart in the world; offset of b minus that of a, along the normal of a as it points now.
struct PlanesApart {
  int a = 0, b = 0;
  double distance = 0, weight = 0;  ///< World units; px^2 per unit^2.
  int statement = -1;
};

/// How far two places are apart in the world.
struct PlacesApart {
  int a = 0, b = 0;                 ///< Shapes.
  double distance = 0, weight = 0;  ///< World units; px^2 per unit^2.
  int statement = -1;
  bool from_point = false;  ///< `a` is a point itself: it can be eliminated then, for only one takes part.
};

/// Where a point or a camera's centre is in the world.
struct InWorld {
  int index = 0;
  Vec3 at = Vec3::Zero();      ///< World units.
  Vec3 weight = Vec3::Zero();  ///< Along each axis, px^2 per unit^2.
  bool camera = false;
  int statement = -1;
};

/// How a camera is turned in the world.
struct TurnInWorld {
  int index = 0;  ///< Of the camera.
  Eigen::Quaterniond world_from_camera = Eigen::Quaterniond::Identity();
  double weight = 0;  ///< px^2 per rad^2.
  int statement = -1;
};

/// A camera moves evenly from the one before to the one after.
struct EvenMotion {
  int before = 0, index = 0, after = 0;  ///< Cameras.
  double share = 0.5;                    ///< Of the way, by time.
  double weight = 0;                     ///< px^2 per unit^2.
  int statement = -1;
};

/// Two places are as far apart as a length says.
struct PlacesAtLength {
  int a = 0, b = 0, length = 0;  ///< Shapes.
  double weight = 0;             ///< px^2 per unit^2.
  int statement = -1;
  bool from_point = false;  ///< As of PlacesApart.
};

/// Two places mirror each other in a plane.
struct PlacesMirrored {
  int a = 0, b = 0, plane = 0;  ///< Shapes.
  double weight = 0;            ///< px^2 per unit^2.
  int statement = -1;
  bool from_point = false;  ///< As of PlacesApart.
};

/// How far a point is from a plane in the world, on the side that the plane's normal points to.
struct PointFromPlane {
  int index = 0, plane = 0;         ///< Of the point; the shape.
  double distance = 0, weight = 0;  ///< World units; px^2 per unit^2.
  int statement = -1;
};

/// From where a place's mirror image in a plane is to another place.
Vec3 offMirrored(const SetPlane& plane, const Vec3& place, const Vec3& other);

/// All of it. Indices are a bundle's points and cameras, or tracks and frames: whoever holds it says which.
struct SetBeliefs {
  std::vector<SetShape> shapes;
  int world = -1;  ///< Which of the shapes is the world; -1: none is.
  std::vector<OnShape> on;
  std::vector<AxisAngle> angles;
  std::vector<AxisInWorld> axes;
  std::vector<OffsetInWorld> offsets;
  std::vector<PlanesApart> planes_apart;
  std::vector<PlacesApart> places_apart;
  std::vector<InWorld> in_world;
  std::vector<TurnInWorld> turns;
  std::vector<EvenMotion> even;
  std::vector<PlacesAtLength> at_length;
  std::vector<PlacesMirrored> mirrored;
  std::vector<PointFromPlane> from_plane;

  bool empty() const { return shapes.empty() && even.empty(); }
  /// Visits every list, in order. New ones stand at the end: projects keep them in it.
  template <class Self, class Visit>
  static void visitLists(Self& self, Visit&& visit) {
    visit(self.on), visit(self.angles), visit(self.axes), visit(self.offsets), visit(self.planes_apart), visit(self.places_apart), visit(self.in_world),
        visit(self.turns), visit(self.even), visit(self.at_length), visit(self.mirrored), visit(self.from_plane);
  }
};

/// How many residuals they are.
int residualsOf(const SetBeliefs& beliefs);
/// Every weight times a factor.
SetBeliefs weighed(SetBeliefs beliefs, double factor);
/// Without what belongs to one statement.
SetBeliefs withoutStatement(SetBeliefs beliefs, int statement);

/// The same beliefs of other indices. `pointOf` and `cameraOf` give the new one, or -1: what speaks of it is left out.
template <class PointOf, class CameraOf>
SetBeliefs renumbered(SetBeliefs beliefs, const PointOf& pointOf, const CameraOf& cameraOf) {
  const auto either = [&](auto& belief) {
    belief.index = belief.camera ? cameraOf(belief.index) : pointOf(belief.index);
    return belief.index < 0;
  };
  std::erase_if(beliefs.on, either);
  std::erase_if(beliefs.in_world, either);
  const auto from_point = [&](auto& pair) { return pair.from_point && (pair.a = pointOf(pair.a)) < 0; };
  std::erase_if(beliefs.places_apart, from_point);
  std::erase_if(beliefs.at_length, from_point);
  std::erase_if(beliefs.mirrored, from_point);
  std::erase_if(beliefs.from_plane, [&](PointFromPlane& from) { return (from.index = pointOf(from.index)) < 0; });
  std::erase_if(beliefs.turns, [&](TurnInWorld& turn) { return (turn.index = cameraOf(turn.index)) < 0; });
  std::erase_if(beliefs.even, [&](EvenMotion& even) {
    even.before = cameraOf(even.before), even.index = cameraOf(even.index), even.after = cameraOf(even.after);
    return even.before < 0 || even.index < 0 || even.after < 0;
  });
  return beliefs;
}

}  // namespace dusky
