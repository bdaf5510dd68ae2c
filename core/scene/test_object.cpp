#include "core/scene/test_object.h"

#include <algorithm>
#include <cmath>

#include "core/base/numbers.h"
#include "core/scene/object_light.h"
#include "core/scene/unit_solids.h"

namespace dusky {
namespace {

constexpr double kTau = 6.283185307179586;

/// Anticlockwise; the monotone chain of Andrew, "Another efficient algorithm for convex hulls in two dimensions" (1979).
std::vector<Vec2> convexHull(std::vector<Vec2> points) {
  if (points.size() < 3) return {};
  std::sort(points.begin(), points.end(), [](const Vec2& a, const Vec2& b) { return std::pair(a.x(), a.y()) < std::pair(b.x(), b.y()); });
  std::vector<Vec2> hull;
  const auto add = [&hull](const Vec2& p, std::size_t keep) {
    const auto turnsRight = [&] {
      const Vec2 &a = hull[hull.size() - 2], &b = hull.back();
      return (b.x() - a.x()) * (p.y() - a.y()) - (b.y() - a.y()) * (p.x() - a.x()) <= 0;
    };
    while (hull.size() >= keep && turnsRight()) hull.pop_back();
    hull.push_back(p);
  };
  for (const Vec2& p : points) add(p, 2);
  const std::size_t lower = hull.size() + 1;
  for (auto p = std::next(points.rbegin()); p != points.rend(); ++p) add(*p, lower);
  hull.pop_back();
  return hull;
}

/// The normal of the plane through its tracks, on the side that the cameras see; upright where there is none.
Vec3 upOf(const TestObject& object, const Solution& solution, const SceneFrame& scene) {
  std::vector<Vec3> members;
  for (const int id : object.plane) {
    const SolvedTrack* track = solution.find(id);
    if (track && track->hasPlace()) members.push_back(scene.scene_from_solve * track->point);
  }
  const auto plane = members.size() >= 3 ? fitPlane(members) : std::nullopt;
  if (!plane) return Vec3::UnitY();
  double seen_from = 0;
  for (const SolvedFrame& frame : solution.frames) {
    if (frame.placed) seen_from += plane->distance(scene.scene_from_solve * frame.pose.centre);
  }
  return seen_from < 0 ? -plane->normal : plane->normal;
}

}  // namespace

/// From the left and above, a little from the front: shadows fall beside what throws them, where they are seen.
Vec3 towardsLight() { return Vec3(-0.7, 0.7, 0.15).normalized(); }

std::string_view describe(ObjectShape shape) {
  static constexpr std::array<std::string_view, 5> kNames = {"cone", "cube", "card", "floor", "figure"};
  const auto index = static_cast<std::size_t>(shape);
  return index < kNames.size() ? kNames[index] : kNames[0];
}

std::optional<ObjectStand> standOf(const TestObject& object, const Solution& solution, const SceneFrame& scene) {
  const SolvedTrack* track = solution.find(object.track);
  if (!track || !track->hasPlace()) return std::nullopt;
  const Vec3 up = upOf(object, solution, scene);
  // Its x runs along the scene's where the plane lets it.
  const Vec3 wished = std::abs(up.x()) < 0.9 ? Vec3::UnitX() : Vec3::UnitZ();
  const Vec3 x = (wished - wished.dot(up) * up).normalized(), z = x.cross(up);
  ObjectStand stand{scene.scene_from_solve * track->point + object.along * x + object.across * z};
  stand.base << x, up, z;
  stand.turn = stand.base * Eigen::AngleAxisd(object.turn_deg * kTau / 360, Vec3::UnitY());
  return stand;
}

std::vector<SolidFace> solidOf(const TestObject& object, const Solution& solution, const SceneFrame& scene) {
  const auto stand = standOf(object, solution, scene);
  if (!stand) return {};
  std::vector<SolidFace> faces = unitSolid(object.shape);
  for (SolidFace& f : faces) {
    for (Vec3& corner : f.corners) corner = stand->foot + object.size * (stand->turn * corner);
    f.normal = stand->turn * f.normal;
  }
  return faces;
}

double lightOn(const Vec3& normal) { return 0.35 + 0.65 * std::max(0.0, normal.dot(towardsLight())); }

std::vector<Vec3> shadowOf(const TestObject& object, const Solution& solution, const SceneFrame& scene) {
  const auto stand = standOf(object, solution, scene);
  if (!stand || object.shape == ObjectShape::Floor) return {};
  constexpr double kGrazing = 0.1;
  const Vec3 light = stand->turn.transpose() * towardsLight();
  if (light.y() < kGrazing) return {};
  std::vector<Vec2> thrown;
  for (const SolidFace& face : unitSolid(object.shape)) {
    for (const Vec3& corner : face.corners) {
      const Vec3 at = corner - light * (corner.y() / light.y());
      thrown.emplace_back(at.x(), at.z());
    }
  }
  std::vector<Vec3> outline;
  for (const Vec2& p : convexHull(std::move(thrown))) outline.push_back(stand->foot + object.size * (stand->turn * Vec3(p.x(), 0, p.y())));
  return outline;
}

double usualSize(const Solution& solution, const SceneFrame& scene, int track) {
  const SolvedTrack* found = solution.find(track);
  std::vector<double> distances;
  for (const SolvedFrame& frame : solution.frames) {
    if (frame.placed && found) distances.push_back(scene.scene_from_solve.scale * (frame.pose.centre - found->point).norm());
  }
  return distances.empty() ? 0.3 : roundTo125(std::max(1e-6, 0.1 * median(std::move(distances))));
}

std::vector<std::array<Vec3, 2>> groundGrid(double spacing, int reach) {
  std::vector<std::array<Vec3, 2>> lines;
  for (int i = -reach; i <= reach; ++i) {
    const double a = i * spacing, end = reach * spacing;
    lines.push_back({Vec3(a, 0, -end), Vec3(a, 0, end)});
    lines.push_back({Vec3(-end, 0, a), Vec3(end, 0, a)});
  }
  return lines;
}

double gridSpacing(const Solution& solution, const SceneFrame& scene) {
  std::vector<double> reaches;
  for (const SolvedTrack& track : solution.tracks) {
    if (track.state == TrackState::Kept) reaches.push_back((scene.scene_from_solve * track.point).norm());
  }
  return reaches.empty() ? 1.0 : roundTo125(std::max(1e-9, median(std::move(reaches)) / 5));
}

}  // namespace dusky
