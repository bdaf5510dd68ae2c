// Planes and lines, how they lie and how they stand to each other.
#include <fmt/format.h>

#include <numbers>

#include "core/geometry/plane.h"
#include "core/knowledge/statements.h"
#include "core/solve/knowledge_builder.h"

namespace dusky {

static constexpr double kDegree = std::numbers::pi / 180;

static std::string quoted(const std::string& name) { return fmt::format("\"{}\"", name); }

SurePoint KnowledgeBuilder::sure(int id) const {
  const SolvedTrack* solved = plain_.find(id);
  const bool known = solved && solved->covariance.allFinite();
  return {*placed(id)->point, known ? solved->covariance : Mat3(Mat3::Zero())};
}

Status KnowledgeBuilder::addSet(const KnownSet& set) {
  SolvedSet solved{.name = set.name, .kind = set.kind, .facing = set.facing, .exact = set.sigma == 0};
  std::vector<SurePoint> points;
  std::vector<int> ids;
  for (const int id : set.tracks) {
    if (placed(id)) points.push_back(sure(id)), ids.push_back(id);
  }
  const std::string who = fmt::format("{} {}", set.kind == SetKind::Line ? "Line" : "Plane", quoted(set.name));
  if (points.size() < set.leastTracks()) {
    return invalidInput(fmt::format("{}: {} of its {} tracks take part in the solve with a depth; it needs {} or more.", who, points.size(), set.tracks.size(),
                                    set.leastTracks() == 2 ? "two" : "three"));
  }
  const auto fit = fitSet(points, set.kind == SetKind::Line, set.sigma / scene_.scale);
  if (!fit) return invalidInput(fmt::format("{}: its tracks lie on one line. Add one beside it.", who));
  std::vector<Vec3> on;
  for (const std::size_t i : fit->inliers) solved.tracks.push_back(ids[i]), on.push_back(points[i].place);
  const PrincipalAxes axes = principalAxes(on);
  solved.through = axes.middle, solved.axis = axisOf(fit->shape);
  if (const auto* plane = std::get_if<SetPlane>(&fit->shape)) solved.offset = plane->offset;
  solved.shape = addShape(fit->shape);
  const double weight = weightOf(set.sigma / scene_.scale, kExactShare * axes.reach());
  for (const int id : solved.tracks) out_.beliefs.on.push_back({.index = id, .shape = solved.shape, .weight = weight});
  out_.sets.push_back(std::move(solved));
  return Done{};
}

/// What is level, upright, and a camera at one height have one upwards between them, which is looked for as well.
void KnowledgeBuilder::addUp() {
  std::vector<Vec3> up, across;
  for (const SolvedSet& set : out_.sets) {
    if (set.alongUp()) up.push_back(set.axis);
    if (set.acrossUp()) across.push_back(set.axis);
  }
  const auto levels =
      std::count_if(knowledge_.camera.begin(), knowledge_.camera.end(), [](const KnownCamera& c) { return c.on && c.fact == CameraFact::Level; });
  if (turnKnown()) return;
  if (up.size() + across.size() + static_cast<std::size_t>(levels) < 2 || up.size() + across.size() == 0) return;  // one alone says nothing of the shape
  up_ = addShape(SetPlane{.normal = up.empty() ? crossOf(across) : up.front(), .offset = 0, .free_offset = false});
}

/// What lies square to walls: of any two of them, where they are not parallel.
Vec3 KnowledgeBuilder::crossOf(const std::vector<Vec3>& walls) const {
  Vec3 best = Vec3::Zero();
  for (const Vec3& a : walls) {
    for (const Vec3& b : walls) {
      if (a.cross(b).norm() > best.norm()) best = a.cross(b);
    }
  }
  if (best.norm() > 1e-3) return best.normalized();
  const Vec3 up = scene_.rotation.conjugate() * Vec3::UnitY();
  return (up - up.dot(walls.front()) * walls.front()).normalized();
}

void KnowledgeBuilder::addFacings() {
  addUp();
  for (const SolvedSet& set : out_.sets) {
    if (set.facing == SetFacing::Free) continue;
    SolvedStatement solved{.kind = StatementKind::Orientation, .name = fmt::format("{} {}", set.name, describe(set.facing)), .a = set.name, .turns = true};
    if (set.facing == SetFacing::Given && !turnKnown()) {
      solved.undetermined =
          "nothing else that is known says how the world lies: two given orientations that are not parallel, a survey, or a camera's rotation would";
      addStatement(std::move(solved));
      continue;
    }
    if (set.facing != SetFacing::Given && up_ < 0 && !turnKnown()) continue;  // it says what is up, and nothing of the solve
    addFacing(set, addStatement(std::move(solved)));
  }
}

void KnowledgeBuilder::addFacing(const SolvedSet& set, int k) {
  const double weight = weightOf(0, kExactShare);
  const bool across = set.acrossUp();
  if (turnKnown()) {
    const Vec3 direction = set.facing == SetFacing::Given ? Vec3(knowledge_.find(set.name)->axis.normalized()) : Vec3::UnitY();
    const Vec3 now = world()->world_from_solve.rotation * axis(set.shape);
    const double cosine = set.facing != SetFacing::Given && across ? 0 : std::copysign(1.0, now.dot(direction));
    out_.beliefs.axes.push_back({set.shape, direction, cosine, weight, k});
    statement(k).without = std::abs(std::acos(std::min(1.0, std::abs(now.dot(direction)))) - std::acos(std::abs(cosine)));
    if (set.facing == SetFacing::Given) addOffset(set, direction, cosine);
  } else {
    const double now = axis(set.shape).dot(axis(up_));
    const double cosine = across ? 0 : std::copysign(1.0, now);
    out_.beliefs.angles.push_back({set.shape, up_, cosine, weight, k});
    statement(k).without = std::abs(std::acos(std::min(1.0, std::abs(now))) - std::acos(std::abs(cosine)));
  }
}

void KnowledgeBuilder::addOffset(const SolvedSet& set, const Vec3& direction, double side) {
  const KnownSet& known = *knowledge_.find(set.name);
  if (!known.offset) return;
  SolvedStatement solved{
      .kind = StatementKind::Offset, .name = fmt::format("{} offset", set.name), .a = set.name, .exact = known.sigma == 0, .asked = *known.offset};
  if (!whole_world_) {
    solved.undetermined = "nothing that is known says where the world's origin is: a survey, or three known positions of the camera would";
    addStatement(std::move(solved));
    return;
  }
  const SetPlane& plane = this->plane(set.shape);
  solved.without = direction.dot(world()->world_from_solve * Vec3(plane.offset * plane.normal));
  const int k = addStatement(std::move(solved));
  out_.beliefs.offsets.push_back({set.shape, side * *known.offset, weightOf(known.sigma, kExactShare * reach()), k});
}

void KnowledgeBuilder::addRelation(const KnownRelation& relation) {
  const SolvedSet &a = setNamed(relation.a), &b = setNamed(relation.b);
  SolvedStatement solved{.name = nameOf(relation), .a = a.name, .b = b.name, .exact = relation.sigma == 0, .asked = relation.value};
  switch (relation.kind) {
    case RelationKind::Angle: return addAngle(a, b, relation.value * kDegree, relation.sigma * kDegree, std::move(solved));
    case RelationKind::Same: return addSame(a, b, relation.sigma, std::move(solved));
    case RelationKind::Apart: return addApart(a, b, relation, std::move(solved));
  }
}

/// Between a plane and a line the angle is that of the line with the plane itself.
void KnowledgeBuilder::addAngle(const SolvedSet& a, const SolvedSet& b, double radians, double sigma, SolvedStatement solved) {
  const bool mixed = a.kind != b.kind;
  const double now = axis(a.shape).dot(axis(b.shape)), wanted = mixed ? std::numbers::pi / 2 - radians : radians;
  solved.kind = StatementKind::Angle, solved.turns = true, solved.asked = radians;
  solved.without = std::acos(std::min(1.0, std::abs(now)));
  if (mixed) solved.without = std::numbers::pi / 2 - solved.without;
  const int k = addStatement(std::move(solved));
  const double cosine = wanted > 0.5 * std::numbers::pi - 1e-12 ? 0 : std::copysign(std::cos(wanted), now);
  out_.beliefs.angles.push_back({a.shape, b.shape, cosine, weightOf(sigma, kExactShare), k});
}

/// Everything of b lies on a as well.
void KnowledgeBuilder::addSame(const SolvedSet& a, const SolvedSet& b, double sigma, SolvedStatement solved) {
  const bool turned = a.kind == SetKind::Line && b.kind == SetKind::Plane;  // no plane lies on a line: the line lies in the plane
  const SolvedSet &on = turned ? b : a, &what = turned ? a : b;
  std::vector<Vec3> points;
  double off = 0;
  for (const int id : what.tracks) points.push_back(*placed(id)->point), off += offVector(on.asShape(), points.back()).squaredNorm();
  solved.kind = StatementKind::Same, solved.asked = 0;
  solved.without = scale() * std::sqrt(off / static_cast<double>(points.size()));
  const int k = addStatement(std::move(solved));
  const double weight = weightOf(sigma / scale(), kExactShare * std::max(principalAxes(points).reach(), 1e-9));
  for (const int id : what.tracks) out_.beliefs.on.push_back({.index = id, .shape = on.shape, .weight = weight, .statement = k});
}

void KnowledgeBuilder::addApart(const SolvedSet& a, const SolvedSet& b, const KnownRelation& relation, SolvedStatement solved) {
  const SetPlane &from = plane(a.shape), &to = plane(b.shape);
  const double now = scale() * from.normal.dot(b.through - a.through), angle = from.normal.dot(to.normal);
  solved.kind = StatementKind::Apart, solved.without = std::abs(now);
  const int k = addStatement(std::move(solved));
  out_.beliefs.angles.push_back({a.shape, b.shape, std::copysign(1.0, angle), weightOf(0, kExactShare), k});
  const double exact = kExactShare * std::max(relation.value, 1e-3 * scale() * reach());
  out_.beliefs.planes_apart.push_back({a.shape, b.shape, std::copysign(relation.value, now), weightOf(relation.sigma, exact), k});
}

}  // namespace dusky
