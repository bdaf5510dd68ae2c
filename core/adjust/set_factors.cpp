#include "core/adjust/set_factors.h"

#include <cmath>

#include "core/geometry/essential.h"

namespace dusky {
namespace {

using Visit = std::function<void(const FactorRow&)>;

/// A place that a belief speaks of: a point's, or a camera's centre.
struct Spot {
  UnknownOf of;
  int index, at;  ///< `at`: the first of its three unknowns.
  Vec3 place;

  Spot(const Bundle& bundle, bool camera, int i)
      : of(camera ? UnknownOf::Camera : UnknownOf::Point), index(i), at(camera ? 3 : 0), place(camera ? bundle.cameras[i].centre : bundle.points[i]) {}
  void add(FactorRow& row, const Vec3& slope) const {
    for (int k = 0; k < 3; ++k) row.add(of, index, at + k, slope[k]);
  }
};

/// The world, and how what is seen in it moves with its unknowns.
struct World {
  const SetWorld& world;
  int shape;

  explicit World(const SetBeliefs& set) : world(std::get<SetWorld>(set.shapes[set.world])), shape(set.world) {}
  double scale() const { return world.world_from_solve.scale; }
  Vec3 turned(const Vec3& direction) const { return world.world_from_solve.rotation * direction; }
  void addScale(FactorRow& row, double slope) const {
    if (world.free_scale) row.add(UnknownOf::Shape, shape, 0, slope);
  }
  void addTurn(FactorRow& row, const Vec3& slope) const {
    for (int k = 0; k < 3 && world.free_turn; ++k) row.add(UnknownOf::Shape, shape, world.turnAt() + k, slope[k]);
  }
  void addShift(FactorRow& row, const Vec3& slope) const {
    for (int k = 0; k < 3 && world.free_shift; ++k) row.add(UnknownOf::Shape, shape, world.shiftAt() + k, slope[k]);
  }
};

/// Slopes of something by the axis of a shape, along the two ways it can tilt.
void addTilt(FactorRow& row, const SetBeliefs& set, int shape, const Vec3& by_axis) {
  const auto* plane = std::get_if<SetPlane>(&set.shapes[shape]);
  if (plane && !plane->free_normal) return;
  const auto tilts = tiltsOf(axisOf(set.shapes[shape]));
  for (int k = 0; k < 2; ++k) row.add(UnknownOf::Shape, shape, k, tilts.col(k).dot(by_axis));
}

void addOffset(FactorRow& row, const SetBeliefs& set, int shape, double slope) {
  const auto& plane = std::get<SetPlane>(set.shapes[shape]);
  if (plane.free_offset) row.add(UnknownOf::Shape, shape, plane.unknowns() - 1, slope);
}

void onPlane(const SetBeliefs& set, int shape, const Spot& spot, double root, const Visit& visit) {
  const auto& plane = std::get<SetPlane>(set.shapes[shape]);
  FactorRow row(root * (plane.normal.dot(spot.place) - plane.offset));
  spot.add(row, root * plane.normal);
  addTilt(row, set, shape, root * spot.place);
  addOffset(row, set, shape, -root);
  visit(row);
}

/// How far off, two ways across.
void onLine(const SetBeliefs& set, int shape, const Spot& spot, double root, const Visit& visit) {
  const auto& line = std::get<SetLine>(set.shapes[shape]);
  const auto across = tiltsOf(line.along);
  const Vec3 away = spot.place - line.through;
  for (int k = 0; k < 2; ++k) {
    FactorRow row(root * across.col(k).dot(away));
    spot.add(row, root * across.col(k));
    row.add(UnknownOf::Shape, shape, k, -root * line.along.dot(away));
    row.add(UnknownOf::Shape, shape, 2 + k, -root);
    visit(row);
  }
}

void atPlace(const SetBeliefs& set, int shape, const Spot& spot, double root, const Visit& visit) {
  const Vec3 off = spot.place - std::get<SetPlace>(set.shapes[shape]).at;
  for (int k = 0; k < 3; ++k) {
    FactorRow row(root * off[k]);
    row.add(spot.of, spot.index, spot.at + k, root);
    row.add(UnknownOf::Shape, shape, k, -root);
    visit(row);
  }
}

void onShape(const Bundle& bundle, const OnShape& on, const Visit& visit) {
  const Spot spot(bundle, on.camera, on.index);
  const double root = std::sqrt(on.weight);
  if (std::holds_alternative<SetPlane>(bundle.set.shapes[on.shape])) onPlane(bundle.set, on.shape, spot, root, visit);
  if (std::holds_alternative<SetLine>(bundle.set.shapes[on.shape])) onLine(bundle.set, on.shape, spot, root, visit);
  if (std::holds_alternative<SetPlace>(bundle.set.shapes[on.shape])) atPlace(bundle.set, on.shape, spot, root, visit);
}

void angleBetween(const SetBeliefs& set, const AxisAngle& angle, const Visit& visit) {
  const Vec3 a = axisOf(set.shapes[angle.a]), b = axisOf(set.shapes[angle.b]);
  const double root = std::sqrt(angle.weight);
  if (!meansParallel(angle.cosine)) {
    const double sine = std::sqrt(1 - angle.cosine * angle.cosine);
    FactorRow row(root * (a.dot(b) - angle.cosine) / sine);
    addTilt(row, set, angle.a, root / sine * b);
    addTilt(row, set, angle.b, root / sine * a);
    return visit(row);
  }
  const auto tilts = tiltsOf(a);
  for (int k = 0; k < 2; ++k) {
    const Vec3 across = tilts.col(k);
    FactorRow row(root * across.dot(b));
    addTilt(row, set, angle.b, root * across);
    const auto* plane = std::get_if<SetPlane>(&set.shapes[angle.a]);
    if (!plane || plane->free_normal) row.add(UnknownOf::Shape, angle.a, k, -root * a.dot(b));
    visit(row);
  }
}

void axisInWorld(const SetBeliefs& set, const AxisInWorld& axis, const Visit& visit) {
  const World world(set);
  const Vec3 turned = world.turned(axisOf(set.shapes[axis.shape]));
  const double root = std::sqrt(axis.weight);
  const auto add = [&](double residual, const Vec3& by_turned) {
    FactorRow row(residual);
    addTilt(row, set, axis.shape, world.world.world_from_solve.rotation.conjugate() * by_turned);
    world.addTurn(row, turned.cross(by_turned));
    visit(row);
  };
  if (!meansParallel(axis.cosine)) {
    const double sine = std::sqrt(1 - axis.cosine * axis.cosine);
    return add(root * (turned.dot(axis.direction) - axis.cosine) / sine, root / sine * axis.direction);
  }
  const auto across = tiltsOf(axis.direction);
  for (int k = 0; k < 2; ++k) add(root * across.col(k).dot(turned), root * across.col(k));
}

/// In the world the plane is turned . X = scale offset + turned . shift.
void offsetInWorld(const SetBeliefs& set, const OffsetInWorld& known, const Visit& visit) {
  const World world(set);
  const auto& plane = std::get<SetPlane>(set.shapes[known.shape]);
  const Similarity& from = world.world.world_from_solve;
  const Vec3 turned = world.turned(plane.normal);
  const double root = std::sqrt(known.weight);
  FactorRow row(root * (world.scale() * plane.offset + turned.dot(from.shift) - known.offset));
  addTilt(row, set, known.shape, root * (from.rotation.conjugate() * from.shift));
  addOffset(row, set, known.shape, root * world.scale());
  world.addScale(row, root * world.scale() * plane.offset);
  world.addTurn(row, root * turned.cross(from.shift));
  world.addShift(row, root * turned);
  visit(row);
}

/// Along the normal of a; b's may point the other way.
void planesApart(const SetBeliefs& set, const PlanesApart& known, const Visit& visit) {
  const World world(set);
  const auto &a = std::get<SetPlane>(set.shapes[known.a]), &b = std::get<SetPlane>(set.shapes[known.b]);
  const double root = std::sqrt(known.weight), side = a.normal.dot(b.normal) < 0 ? -1 : 1;
  const double apart = side * b.offset - a.offset;
  FactorRow row(root * (world.scale() * apart - known.distance));
  addOffset(row, set, known.a, -root * world.scale());
  addOffset(row, set, known.b, root * world.scale() * side);
  world.addScale(row, root * world.scale() * apart);
  visit(row);
}

/// One end of a pair: a point, or a place of the set.
struct End {
  UnknownOf of;
  int index;
  Vec3 at;

  End(const Bundle& bundle, int i, bool point)
      : of(point ? UnknownOf::Point : UnknownOf::Shape), index(i), at(point ? bundle.points[i] : std::get<SetPlace>(bundle.set.shapes[i]).at) {}
  void add(FactorRow& row, const Vec3& slope) const {
    for (int k = 0; k < 3; ++k) row.add(of, index, k, slope[k]);
  }
};

void placesApart(const Bundle& bundle, const PlacesApart& known, const Visit& visit) {
  const World world(bundle.set);
  const End a(bundle, known.a, known.from_point), b(bundle, known.b, false);
  const Vec3 apart = b.at - a.at;
  const double root = std::sqrt(known.weight), distance = apart.norm();
  FactorRow row(root * (world.scale() * distance - known.distance));
  if (distance > 0) a.add(row, -root * world.scale() / distance * apart), b.add(row, root * world.scale() / distance * apart);
  world.addScale(row, root * world.scale() * distance);
  visit(row);
}

void placesAtLength(const Bundle& bundle, const PlacesAtLength& known, const Visit& visit) {
  const End a(bundle, known.a, known.from_point), b(bundle, known.b, false);
  const Vec3 apart = b.at - a.at;
  const double root = std::sqrt(known.weight), distance = apart.norm();
  FactorRow row(root * (distance - std::get<SetLength>(bundle.set.shapes[known.length]).length));
  if (distance > 0) a.add(row, -root / distance * apart), b.add(row, root / distance * apart);
  row.add(UnknownOf::Shape, known.length, 0, -root);
  visit(row);
}

void placesMirrored(const Bundle& bundle, const PlacesMirrored& known, const Visit& visit) {
  const auto& plane = std::get<SetPlane>(bundle.set.shapes[known.plane]);
  const End a(bundle, known.a, known.from_point), b(bundle, known.b, false);
  const Vec3 off = offMirrored(plane, a.at, b.at), &n = plane.normal;
  const double root = std::sqrt(known.weight), stands = n.dot(a.at) - plane.offset;
  for (int k = 0; k < 3; ++k) {
    const Vec3 unit = Vec3::Unit(k);
    FactorRow row(root * off[k]);
    row.add(UnknownOf::Shape, known.b, k, root);
    a.add(row, root * (2 * n[k] * n - unit));
    addTilt(row, bundle.set, known.plane, 2 * root * (n[k] * a.at + stands * unit));
    addOffset(row, bundle.set, known.plane, -2 * root * n[k]);
    visit(row);
  }
}

void pointFromPlane(const Bundle& bundle, const PointFromPlane& known, const Visit& visit) {
  const World world(bundle.set);
  const Spot spot(bundle, false, known.index);
  const auto& plane = std::get<SetPlane>(bundle.set.shapes[known.plane]);
  const double root = std::sqrt(known.weight), off = plane.normal.dot(spot.place) - plane.offset;
  FactorRow row(root * (world.scale() * off - known.distance));
  spot.add(row, root * world.scale() * plane.normal);
  addTilt(row, bundle.set, known.plane, root * world.scale() * spot.place);
  addOffset(row, bundle.set, known.plane, -root * world.scale());
  world.addScale(row, root * world.scale() * off);
  visit(row);
}

void inWorld(const Bundle& bundle, const InWorld& known, const Visit& visit) {
  const World world(bundle.set);
  const Spot spot(bundle, known.camera, known.index);
  const Similarity& from = world.world.world_from_solve;
  const Vec3 arm = from.scale * world.turned(spot.place), off = arm + from.shift - known.at;
  for (int k = 0; k < 3; ++k) {
    const double root = std::sqrt(known.weight[k]);
    FactorRow row(root * off[k]);
    spot.add(row, root * from.scale * (from.rotation.conjugate() * Vec3(Vec3::Unit(k))));
    world.addScale(row, root * arm[k]);
    world.addTurn(row, root * arm.cross(Vec3(Vec3::Unit(k))));
    world.addShift(row, root * Vec3(Vec3::Unit(k)));
    visit(row);
  }
}

/// Small: what is left to turn, in camera axes.
void turnInWorld(const Bundle& bundle, const TurnInWorld& known, const Visit& visit) {
  const World world(bundle.set);
  const Eigen::Quaterniond now = world.world.world_from_solve.rotation * bundle.cameras[known.index].world_from_camera;
  const Eigen::AngleAxisd left(known.world_from_camera.conjugate() * now);
  const Vec3 off = left.angle() * left.axis();
  const Mat3 by_world = known.world_from_camera.conjugate().toRotationMatrix();
  const double root = std::sqrt(known.weight);
  for (int k = 0; k < 3; ++k) {
    FactorRow row(root * off[k]);
    row.add(UnknownOf::Camera, known.index, k, root);
    world.addTurn(row, root * by_world.row(k).transpose());
    visit(row);
  }
}

void evenMotion(const Bundle& bundle, const EvenMotion& even, const Visit& visit) {
  const double root = std::sqrt(even.weight);
  const Vec3 off = bundle.cameras[even.index].centre - (1 - even.share) * bundle.cameras[even.before].centre - even.share * bundle.cameras[even.after].centre;
  for (int k = 0; k < 3; ++k) {
    FactorRow row(root * off[k]);
    row.add(UnknownOf::Camera, even.index, 3 + k, root);
    row.add(UnknownOf::Camera, even.before, 3 + k, -root * (1 - even.share));
    row.add(UnknownOf::Camera, even.after, 3 + k, -root * even.share);
    visit(row);
  }
}

}  // namespace

void forEachSetFactor(const Bundle& bundle, const Visit& visit) {
  const SetBeliefs& set = bundle.set;
  for (const OnShape& one : set.on) onShape(bundle, one, visit);
  for (const AxisAngle& one : set.angles) angleBetween(set, one, visit);
  for (const EvenMotion& one : set.even) evenMotion(bundle, one, visit);
  for (const PlacesAtLength& one : set.at_length) placesAtLength(bundle, one, visit);
  for (const PlacesMirrored& one : set.mirrored) placesMirrored(bundle, one, visit);
  if (set.world < 0) return;
  for (const PointFromPlane& one : set.from_plane) pointFromPlane(bundle, one, visit);
  for (const AxisInWorld& one : set.axes) axisInWorld(set, one, visit);
  for (const OffsetInWorld& one : set.offsets) offsetInWorld(set, one, visit);
  for (const PlanesApart& one : set.planes_apart) planesApart(set, one, visit);
  for (const PlacesApart& one : set.places_apart) placesApart(bundle, one, visit);
  for (const InWorld& one : set.in_world) inWorld(bundle, one, visit);
  for (const TurnInWorld& one : set.turns) turnInWorld(bundle, one, visit);
}

}  // namespace dusky
