#include "core/adjust/set_beliefs.h"

#include <cmath>
#include <numeric>

#include "core/geometry/essential.h"

namespace dusky {
namespace {

template <class... Ts>
struct Overloaded : Ts... {
  using Ts::operator()...;
};
template <class... Ts>
Overloaded(Ts...) -> Overloaded<Ts...>;

/// The plane of the step as it was linearised, (n + tilt) . p = offset + step, its normal brought to length 1 again.
SetPlane moved(SetPlane plane, const Eigen::VectorXd& step) {
  Vec3 normal = plane.normal;
  if (plane.free_normal) normal += tiltsOf(plane.normal) * step.head<2>();
  const double offset = plane.offset + (plane.free_offset ? step[plane.unknowns() - 1] : 0);
  const double length = normal.norm();
  plane.normal = normal / length, plane.offset = plane.free_offset ? offset / length : offset;
  return plane;
}

SetLine moved(SetLine line, const Eigen::VectorXd& step) {
  const auto tilts = tiltsOf(line.along);
  line.along = (line.along + tilts * step.head<2>()).normalized();
  line.through += tilts * step.tail<2>();
  return line;
}

/// It may halve or double in one step, and stays above 0.
SetLength moved(SetLength length, const Eigen::VectorXd& step) { return {length.length * std::clamp(1 + step[0] / length.length, 0.5, 2.0)}; }

SetWorld moved(SetWorld world, const Eigen::VectorXd& step) {
  constexpr double kMostGrowth = 1;  // of its logarithm in one step
  Similarity& s = world.world_from_solve;
  if (world.free_scale) s.scale *= std::exp(std::clamp(step[0], -kMostGrowth, kMostGrowth));
  if (world.free_turn) s.rotation = (rotationFromVector(step.segment<3>(world.turnAt())) * s.rotation).normalized();
  if (world.free_shift) s.shift += step.segment<3>(world.shiftAt());
  return world;
}

using Motions = Eigen::Matrix<double, Eigen::Dynamic, 7>;

Motions motions(const SetPlane& plane) {
  Motions all = Motions::Zero(plane.unknowns(), 7);
  if (plane.free_normal) {
    const auto tilts = tiltsOf(plane.normal);
    for (int i = 0; i < 2; ++i) all.block<1, 3>(i, 0) = plane.normal.cross(Vec3(tilts.col(i))).transpose();
  }
  if (plane.free_offset) all.block<1, 3>(plane.unknowns() - 1, 3) = plane.normal.transpose(), all(plane.unknowns() - 1, 6) = plane.offset;
  return all;
}

Motions motions(const SetLine& line) {
  Motions all = Motions::Zero(4, 7);
  const auto tilts = tiltsOf(line.along);
  for (int i = 0; i < 2; ++i) {
    const Vec3 tilt = tilts.col(i);
    all.block<1, 3>(i, 0) = line.along.cross(tilt).transpose();
    all.block<1, 3>(2 + i, 0) = line.through.cross(tilt).transpose();
    all.block<1, 3>(2 + i, 3) = tilt.transpose(), all(2 + i, 6) = tilt.dot(line.through);
  }
  return all;
}

Motions motions(const SetPlace& place) {
  Motions all(3, 7);
  all << -crossMatrix(place.at), Mat3::Identity(), place.at;
  return all;
}

Motions motions(const SetLength& length) {
  Motions all = Motions::Zero(1, 7);
  all(0, 6) = length.length;
  return all;
}

/// What is known stays where it is while the solve moves: the way from the one to the other takes that back.
Motions motions(const SetWorld& world) {
  Motions all = Motions::Zero(world.unknowns(), 7);
  const Mat3 turn = world.world_from_solve.rotation.toRotationMatrix();
  if (world.free_scale) all(0, 6) = -1;
  if (world.free_turn) all.block<3, 3>(world.turnAt(), 0) = -turn;
  if (world.free_shift) all.block<3, 3>(world.shiftAt(), 3) = -world.world_from_solve.scale * turn;
  return all;
}

}  // namespace

int unknownsOf(const SetShape& shape) {
  return std::visit([](const auto& s) { return s.unknowns(); }, shape);
}

SetShape movedBy(const SetShape& shape, const Eigen::VectorXd& step) {
  return std::visit(
      Overloaded{[&](const SetPlace& place) { return SetShape(SetPlace{place.at + step}); }, [&](const auto& s) { return SetShape(moved(s, step)); }}, shape);
}

Motions motionsOf(const SetShape& shape) {
  return std::visit([](const auto& s) { return motions(s); }, shape);
}

Vec3 axisOf(const SetShape& shape) {
  if (const auto* plane = std::get_if<SetPlane>(&shape)) return plane->normal;
  if (const auto* line = std::get_if<SetLine>(&shape)) return line->along;
  return Vec3::Zero();
}

Vec3 offVector(const SetShape& shape, const Vec3& place) {
  const auto from_plane = [&place](const SetPlane& plane) { return Vec3((plane.normal.dot(place) - plane.offset) * plane.normal); };
  const auto from_line = [&place](const SetLine& line) {
    const Vec3 away = place - line.through;
    return Vec3(away - line.along.dot(away) * line.along);
  };
  return std::visit(
      Overloaded{from_plane, from_line, [&place](const SetPlace& other) { return Vec3(place - other.at); }, [](const auto&) { return Vec3(Vec3::Zero()); }},
      shape);
}

Eigen::Matrix<double, 3, 2> tiltsOf(const Vec3& direction) {
  const Vec3 aside = std::abs(direction.x()) < 0.6 ? Vec3::UnitX() : std::abs(direction.y()) < 0.6 ? Vec3::UnitY() : Vec3::UnitZ();
  Eigen::Matrix<double, 3, 2> tilts;
  tilts.col(0) = direction.cross(aside).normalized();
  tilts.col(1) = direction.cross(tilts.col(0));
  return tilts;
}

Vec3 offMirrored(const SetPlane& plane, const Vec3& place, const Vec3& other) {
  return other - place + 2 * (plane.normal.dot(place) - plane.offset) * plane.normal;
}

int residualsOf(const SetBeliefs& b) {
  const auto count = [](const auto& list, const auto& of) {
    return std::accumulate(list.begin(), list.end(), 0, [&](int n, const auto& x) { return n + of(x); });
  };
  const auto by_axis = [](const auto& angle) { return meansParallel(angle.cosine) ? 2 : 1; };
  const auto by_shape = [&b](const OnShape& on) {
    const SetShape& shape = b.shapes[static_cast<std::size_t>(on.shape)];
    return std::holds_alternative<SetPlane>(shape) ? 1 : std::holds_alternative<SetLine>(shape) ? 2 : 3;
  };
  const std::size_t single = b.offsets.size() + b.planes_apart.size() + b.places_apart.size() + b.at_length.size() + b.from_plane.size();
  const std::size_t triple = b.in_world.size() + b.turns.size() + b.even.size() + b.mirrored.size();
  return count(b.on, by_shape) + count(b.angles, by_axis) + count(b.axes, by_axis) + static_cast<int>(single + 3 * triple);
}

SetBeliefs weighed(SetBeliefs beliefs, double factor) {
  SetBeliefs::visitLists(beliefs, [factor](auto& list) {
    for (auto& belief : list) belief.weight *= factor;
  });
  return beliefs;
}

SetBeliefs withoutStatement(SetBeliefs beliefs, int statement) {
  SetBeliefs::visitLists(beliefs, [statement](auto& list) { std::erase_if(list, [statement](const auto& belief) { return belief.statement == statement; }); });
  return beliefs;
}

}  // namespace dusky
