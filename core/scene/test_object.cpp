#include "core/scene/test_object.h"

#include <algorithm>
#include <cmath>
#include <limits>

#include "core/base/numbers.h"

namespace dusky {
namespace {

constexpr double kTau = 6.283185307179586;

Vec3 towardsLight() { return Vec3(-0.4, 0.8, 0.45).normalized(); }

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

SolidFace face(const Vec3& a, const Vec3& b, const Vec3& c) { return {{a, b, c}, (b - a).cross(c - a).normalized()}; }

/// A cone of height 1 and width 0.6 on the origin.
std::vector<SolidFace> unitCone() {
  constexpr int kSides = 24, kRings = 3;
  std::vector<SolidFace> faces;
  const auto at = [](int side, double height) {
    const double angle = kTau * side / kSides, radius = 0.3 * (1 - height);
    return Vec3(radius * std::cos(angle), height, radius * std::sin(angle));
  };
  for (int side = 0; side < kSides; ++side) {
    faces.push_back(face(Vec3::Zero(), at(side, 0), at(side + 1, 0)));
    for (int ring = 0; ring < kRings; ++ring) {
      const double low = static_cast<double>(ring) / kRings, high = (ring + 1.0) / kRings;
      const Vec3 a = at(side, low), b = at(side + 1, low), c = at(side + 1, high), d = at(side, high);
      faces.push_back(face(a, d, b));
      if (ring + 1 < kRings) faces.push_back(face(b, d, c));
    }
  }
  return faces;
}

/// A cube of side 1 standing on the origin, each side cut into 3 x 3 squares.
std::vector<SolidFace> unitCube() {
  constexpr int kCuts = 3;
  std::vector<SolidFace> faces;
  for (int axis = 0; axis < 3; ++axis) {
    for (double side : {-0.5, 0.5}) {
      const int u = (axis + 1) % 3, v = (axis + 2) % 3;
      const auto at = [&](int i, int j) {
        Vec3 p;
        p[axis] = side;
        p[u] = static_cast<double>(i) / kCuts - 0.5;
        p[v] = static_cast<double>(j) / kCuts - 0.5;
        return Vec3(p + Vec3(0, 0.5, 0));
      };
      for (int i = 0; i < kCuts; ++i) {
        for (int j = 0; j < kCuts; ++j) {
          const Vec3 a = at(i, j), b = at(i + 1, j), c = at(i + 1, j + 1), d = at(i, j + 1);
          faces.push_back(side > 0 ? face(a, b, c) : face(a, c, b));
          faces.push_back(side > 0 ? face(a, c, d) : face(a, d, c));
        }
      }
    }
  }
  return faces;
}

}  // namespace

std::vector<SolidFace> solidOf(const TestObject& object, const Solution& solution, const SceneFrame& scene) {
  const SolvedTrack* track = solution.find(object.track);
  if (!track || track->state == TrackState::Unplaced) return {};
  const Vec3 foot = scene.scene_from_solve * track->point;
  std::vector<SolidFace> faces = object.shape == ObjectShape::Cone ? unitCone() : unitCube();
  for (SolidFace& f : faces) {
    for (Vec3& corner : f.corners) corner = foot + object.size * corner;
  }
  return faces;
}

double lightOn(const Vec3& normal) { return 0.35 + 0.65 * std::max(0.0, normal.dot(towardsLight())); }

std::vector<Vec3> shadowOf(const TestObject& object, const Solution& solution, const SceneFrame& scene) {
  const std::vector<SolidFace> faces = solidOf(object, solution, scene);
  double level = std::numeric_limits<double>::infinity();
  for (const SolidFace& face : faces) {
    for (const Vec3& corner : face.corners) level = std::min(level, corner.y());
  }
  const Vec3 light = towardsLight();
  std::vector<Vec2> thrown;
  for (const SolidFace& face : faces) {
    for (const Vec3& corner : face.corners) {
      const Vec3 at = corner - light * ((corner.y() - level) / light.y());
      thrown.emplace_back(at.x(), at.z());
    }
  }
  std::vector<Vec3> outline;
  for (const Vec2& p : convexHull(std::move(thrown))) outline.emplace_back(p.x(), level, p.y());
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
