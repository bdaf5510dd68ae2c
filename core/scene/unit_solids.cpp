#include "core/scene/unit_solids.h"

#include <cmath>

namespace dusky {
namespace {

constexpr double kTau = 6.283185307179586;

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

/// Upright, facing z and away from it, cut so that a lens may bend it.
std::vector<SolidFace> unitCard() {
  constexpr int kAcross = 4, kUp = 5;
  constexpr double kWidth = 0.7;
  std::vector<SolidFace> faces;
  const auto at = [](int i, int j) { return Vec3(kWidth * (static_cast<double>(i) / kAcross - 0.5), static_cast<double>(j) / kUp, 0); };
  for (int i = 0; i < kAcross; ++i) {
    for (int j = 0; j < kUp; ++j) {
      const Vec3 a = at(i, j), b = at(i + 1, j), c = at(i + 1, j + 1), d = at(i, j + 1);
      const double shade = (i + j) % 2 == 0 ? 1.0 : 0.72;
      for (SolidFace one : {face(a, b, c), face(a, c, d), face(a, c, b), face(a, d, c)}) {
        one.shade = shade;
        faces.push_back(one);
      }
    }
  }
  return faces;
}

std::vector<SolidFace> unitFloor() {
  constexpr int kSquares = 8;
  std::vector<SolidFace> faces;
  const auto at = [](int i, int j) { return Vec3(static_cast<double>(i) / kSquares - 0.5, 0, static_cast<double>(j) / kSquares - 0.5); };
  for (int i = 0; i < kSquares; ++i) {
    for (int j = 0; j < kSquares; ++j) {
      const Vec3 a = at(i, j), b = at(i, j + 1), c = at(i + 1, j + 1), d = at(i + 1, j);
      for (SolidFace one : {face(a, b, c), face(a, c, d)}) {
        one.shade = (i + j) % 2 == 0 ? 1.0 : 0.35;
        faces.push_back(one);
      }
    }
  }
  return faces;
}

void addEllipsoid(std::vector<SolidFace>& faces, const Vec3& centre, const Vec3& radii) {
  constexpr int kSides = 12, kRings = 8;
  const auto at = [&](int side, int ring) {
    const double around = kTau * side / kSides, down = kTau / 2 * ring / kRings;
    return Vec3(centre + radii.cwiseProduct(Vec3(std::sin(down) * std::cos(around), std::cos(down), std::sin(down) * std::sin(around))));
  };
  for (int side = 0; side < kSides; ++side) {
    for (int ring = 0; ring < kRings; ++ring) {
      const Vec3 a = at(side, ring), b = at(side + 1, ring), c = at(side + 1, ring + 1), d = at(side, ring + 1);
      if (ring > 0) faces.push_back(face(a, b, c));
      if (ring + 1 < kRings) faces.push_back(face(a, c, d));
    }
  }
}

/// A person as a few rounded pieces: height 1, arms at its sides.
std::vector<SolidFace> unitFigure() {
  std::vector<SolidFace> faces;
  addEllipsoid(faces, {0, 0.925, 0.01}, {0.045, 0.075, 0.058});  // head
  addEllipsoid(faces, {0, 0.84, 0}, {0.028, 0.05, 0.03});        // neck
  addEllipsoid(faces, {0, 0.795, 0}, {0.132, 0.036, 0.045});     // shoulders
  addEllipsoid(faces, {0, 0.69, 0}, {0.1, 0.15, 0.062});         // chest
  addEllipsoid(faces, {0, 0.535, 0}, {0.09, 0.09, 0.065});       // hips
  for (const double side : {-1.0, 1.0}) {
    addEllipsoid(faces, {side * 0.122, 0.61, 0}, {0.028, 0.2, 0.036});        // arm
    addEllipsoid(faces, {side * 0.05, 0.27, 0}, {0.047, 0.27, 0.055});        // leg
    addEllipsoid(faces, {side * 0.052, 0.022, 0.03}, {0.034, 0.022, 0.075});  // foot
  }
  return faces;
}

}  // namespace

std::vector<SolidFace> unitSolid(ObjectShape shape) {
  switch (shape) {
    case ObjectShape::Cube: return unitCube();
    case ObjectShape::Card: return unitCard();
    case ObjectShape::Floor: return unitFloor();
    case ObjectShape::Figure: return unitFigure();
    case ObjectShape::Cone: break;
  }
  return unitCone();
}

}  // namespace dusky
