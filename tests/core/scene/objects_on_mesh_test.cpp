// A mesh of the set before test objects and under them, held against plain geometry.
#include "core/scene/objects_on_mesh.h"

#include <gtest/gtest.h>

#include "core/scene/object_light.h"

namespace dusky::testing {
namespace {

/// Two triangles of four corners in a row around.
void addSquare(SetMesh& mesh, const std::array<Vec3, 4>& corners) {
  const auto first = static_cast<std::uint32_t>(mesh.points.size());
  for (const Vec3& corner : corners) mesh.points.push_back(corner.cast<float>());
  mesh.triangles.push_back({first, first + 1, first + 2}), mesh.triangles.push_back({first, first + 2, first + 3});
}

std::vector<SolidFace> square(const std::array<Vec3, 4>& corners) {
  return {{.corners = {corners[0], corners[1], corners[2]}}, {.corners = {corners[0], corners[2], corners[3]}}};
}

std::array<Vec3, 4> level(double y, double low, double high) { return {Vec3(low, y, low), Vec3(high, y, low), Vec3(high, y, high), Vec3(low, y, high)}; }

class ObjectsOnMeshTest : public ::testing::Test {
 protected:
  /// A camera four units up and eight away, looking at the origin.
  ObjectsOnMeshTest() {
    const Vec3 from(0, 4, 8), forward = -from.normalized(), right = forward.cross(Vec3::UnitY()).normalized(), down = forward.cross(right);
    camera.lens = Lens::simple(640, 360, 500);
    camera.lens.k1() = -0.05;
    camera.pose.centre = from;
    camera.pose.world_from_camera = Eigen::Quaterniond((Mat3() << right, down, forward).finished());
    addSquare(set, level(0, -6, 6));
  }
  ObjectsOnMesh look(const std::vector<SolidFace>& objects, const MeshSettings& placed = {}) const {
    const auto surface = MeshSurface::make(std::make_shared<SetMesh>(set), {});
    EXPECT_TRUE(surface.ok());
    return objectsOnMesh(camera, **surface, placed, objects, 320);
  }
  std::uint8_t at(const Plane<std::uint8_t>& plane, const Vec3& place) const {
    const Vec2 px = 0.5 * *camera.see(place);
    return plane.at(static_cast<int>(px.x()), static_cast<int>(px.y()));
  }

  SceneCamera camera;
  SetMesh set;
  /// Level, half a unit over the ground.
  const std::vector<SolidFace> lid = square(level(0.5, -0.5, 0.5));
};

TEST_F(ObjectsOnMeshTest, AShadowFallsWhereTheLightIsTaken) {
  const ObjectsOnMesh seen = look(lid);
  const Vec3 thrown = -0.5 / towardsLight().y() * towardsLight() + Vec3(0, 0.5, 0);
  EXPECT_EQ(at(seen.shadow, thrown), 255);
  EXPECT_EQ(at(seen.shadow, thrown + Vec3(0.4, 0, 0.4)), 255);
  EXPECT_EQ(at(seen.shadow, thrown + Vec3(0.6, 0, 0)), 0);
  EXPECT_EQ(at(seen.shadow, thrown + Vec3(0, 0, 0.6)), 0);
  EXPECT_EQ(at(seen.hidden, Vec3(0, 0.5, 0)), 0);
}

TEST_F(ObjectsOnMeshTest, AWallBeforeAnObjectHidesIt) {
  addSquare(set, {Vec3(-3, 0, 2), Vec3(0, 0, 2), Vec3(0, 3, 2), Vec3(-3, 3, 2)});
  const ObjectsOnMesh seen = look(square({Vec3(-0.5, 0, 0), Vec3(0.5, 0, 0), Vec3(0.5, 1, 0), Vec3(-0.5, 1, 0)}));
  EXPECT_EQ(at(seen.hidden, Vec3(-0.3, 0.6, 0)), 255);
  EXPECT_EQ(at(seen.hidden, Vec3(0.3, 0.6, 0)), 0);
}

TEST_F(ObjectsOnMeshTest, WhatLiesInTheSetsOwnShadeGetsNoOther) {
  const Vec3 thrown = -0.5 / towardsLight().y() * towardsLight() + Vec3(0, 0.5, 0);
  const Vec3 above = thrown + 6 * towardsLight();
  addSquare(set, {above + Vec3(-2, 0, -2), above + Vec3(2, 0, -2), above + Vec3(2, 0, 2), above + Vec3(-2, 0, 2)});
  EXPECT_EQ(at(look(lid).shadow, thrown), 0);
}

TEST_F(ObjectsOnMeshTest, TheMeshStandsAsItIsPlaced) {
  for (Eigen::Vector3f& point : set.points) point = Eigen::Vector3f(point.x(), -point.z(), point.y()) * 100;
  const ObjectsOnMesh seen = look(lid, {.path = "set.obj", .metres = 0.01, .up = UpAxis::Z});
  EXPECT_EQ(at(seen.shadow, -0.5 / towardsLight().y() * towardsLight() + Vec3(0, 0.5, 0)), 255);
}

TEST_F(ObjectsOnMeshTest, CloudsAndNoObjectsTellNothing) {
  EXPECT_TRUE(look({}).hidden.empty());
  set.triangles.clear();
  EXPECT_TRUE(look(lid).hidden.empty());
}

}  // namespace
}  // namespace dusky::testing
