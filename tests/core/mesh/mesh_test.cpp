// Meshes and scans: files read, picked on, simplified, and points laid on them; against what they were made from.
#include <gmock/gmock.h>
#include <gtest/gtest.h>

#include <cmath>

#include "core/base/atomic_file.h"
#include "core/base/random.h"
#include "core/mesh/mesh_fit.h"
#include "tests/support/made_mesh.h"
#include "tests/support/temporary_folder.h"

namespace dusky::testing {
using ::testing::HasSubstr;

class MeshFiles : public ::testing::Test {
 protected:
  Result<SetMeshPtr> read(const char* name, const std::string& text) const {
    EXPECT_TRUE(writeFileAtomically(folder / name, text).ok());
    return readSetMesh(folder / name, {});
  }
  TemporaryFolder folder;
};

TEST_F(MeshFiles, ObjPlyAndGltfAreRead) {
  const auto obj = read("box.OBJ", objText(boxMesh({-1, 0, -2}, {3, 1, 2})));
  ASSERT_TRUE(obj.ok()) << obj.error().message;
  EXPECT_EQ((*obj)->points.size(), 8u) << "corners that files list again and again are one";
  EXPECT_EQ((*obj)->triangles.size(), 12u);
  EXPECT_LT(((*obj)->low() - Vec3(-1, 0, -2)).norm() + ((*obj)->high() - Vec3(3, 1, 2)).norm(), 1e-6);
  const SetMesh hills = hillMesh(12, 4);
  for (const auto& [name, bytes] : {std::pair{"hills.ply", plyBytes(hills)}, {"hills.glb", glbBytes(hills)}, {"hills.obj", objText(hills)}}) {
    const auto same = read(name, bytes);
    ASSERT_TRUE(same.ok()) << same.error().message;
    EXPECT_EQ((*same)->points.size(), hills.points.size()) << name;
    ASSERT_EQ((*same)->triangles.size(), hills.triangles.size());
    for (std::size_t t = 0; t < hills.triangles.size(); ++t)
      EXPECT_LT(((*same)->points[(*same)->triangles[t][1]] - hills.points[hills.triangles[t][1]]).norm(), 1e-5f);
  }
  const auto cloud = read("scan.ply",
                          "ply\nformat ascii 1.0\nelement vertex 3\nproperty float x\nproperty float y\nproperty float z\nproperty uchar red\n"
                          "property uchar green\nproperty uchar blue\nend_header\n0 0 0 255 0 0\n1 0 0 0 255 0\n0 2 0 0 0 255\n");
  ASSERT_TRUE(cloud.ok()) << cloud.error().message;
  EXPECT_TRUE((*cloud)->isCloud());
  ASSERT_EQ((*cloud)->colors.size(), 3u);
  EXPECT_EQ((*cloud)->colors[1], (std::array<std::uint8_t, 3>{0, 255, 0}));
  // One triangle that the scene places twice: as it is, and moved by 10 along x and scaled by 2.
  const auto gltf =
      read("twice.gltf",
           R"({"asset":{"version":"2.0"},"scene":0,"scenes":[{"nodes":[0,1]}],"nodes":[{"mesh":0},{"mesh":0,"translation":[10,0,0],"scale":[2,2,2]}],
    "meshes":[{"primitives":[{"attributes":{"POSITION":0}}]}],
    "accessors":[{"bufferView":0,"componentType":5126,"count":3,"type":"VEC3","min":[0,0,0],"max":[1,1,0]}],
    "bufferViews":[{"buffer":0,"byteLength":36}],
    "buffers":[{"byteLength":36,"uri":"data:application/octet-stream;base64,AAAAAAAAAAAAAAAAAACAPwAAAAAAAAAAAAAAAAAAgD8AAAAA"}]})");
  ASSERT_TRUE(gltf.ok()) << gltf.error().message;
  EXPECT_EQ((*gltf)->triangles.size(), 2u);
  EXPECT_LT(((*gltf)->high() - Vec3(12, 2, 0)).norm(), 1e-6);
}

TEST_F(MeshFiles, WhatCannotBeUsedIsRefusedInASentence) {
  EXPECT_THAT(readSetMesh(folder / "none.obj", {}).error().message, HasSubstr("no such file"));
  EXPECT_THAT(read("set.stl", "solid").error().message, HasSubstr("OBJ, PLY or glTF"));
  EXPECT_FALSE(read("empty.obj", "").ok());
  EXPECT_FALSE(read("empty.ply", "").ok());
  EXPECT_FALSE(read("torn.glb", "glTF\x02").ok());
  EXPECT_FALSE(read("words.ply", "ply\nformat ascii 1.0\nelement vertex 900\nproperty float x\nend_header\n1\n").ok());
  EXPECT_THAT(read("point.obj", "v 1 1 1\nv 1 1 1\nv 1 1 1\nf 1 2 3\n").error().message, HasSubstr("one"));
  EXPECT_THAT(read("far.obj", objText(boxMesh({500000, 0, 4e6}, {500010, 3, 4000010}))).error().message, HasSubstr("from its origin"));
  EXPECT_FALSE(read("nan.obj", "v nan 0 0\nv 1 0 0\nv 0 1 0\nf 1 2 3\n").ok());
  std::stop_source stop;
  stop.request_stop();
  EXPECT_EQ(readSetMesh(folder / "point.obj", Progress([](const ProgressState&) {}, stop.get_token())).error().kind, ErrorKind::Cancelled);
}

class MeshSurfaces : public ::testing::Test {
 protected:
  static MeshSurfacePtr surfaceOf(SetMesh mesh) { return *MeshSurface::make(std::make_shared<SetMesh>(std::move(mesh)), {}); }
};

TEST_F(MeshSurfaces, LinesOfSightMeetWhatTheyWouldMeet) {
  const auto box = surfaceOf(boxMesh({-1, 0, -1}, {1, 2, 1}));
  const auto hit = box->hit({0.3, 1, 9}, {0, 0, -1});
  ASSERT_TRUE(hit);
  EXPECT_LT((hit->at - Vec3(0.3, 1, 1)).norm(), 1e-6);
  EXPECT_NEAR(std::abs(hit->normal.z()), 1, 1e-6);
  EXPECT_NEAR(hit->away, 8, 1e-6);
  EXPECT_FALSE(box->hit({0.3, 1, 9}, {0, 0, 1})) << "behind the eye";
  EXPECT_FALSE(box->hit({3, 1, 9}, {0, 0, -1}));
  EXPECT_TRUE(box->hides({0, 1, 9}, {0, 1, -3}));
  EXPECT_FALSE(box->hides({0, 1, 9}, {0, 1, 1})) << "it ends on the surface";
  EXPECT_FALSE(box->hides({4, 1, 9}, {4, 1, -3}));
}

TEST_F(MeshSurfaces, TheNearestPlaceIsTheOneThatEveryTriangleSays) {
  const SetMesh mesh = hillMesh(20, 10);
  const auto surface = surfaceOf(mesh);
  Random random(8);
  for (int i = 0; i < 60; ++i) {
    const Vec3 place(5 + 3 * random.normal(), random.normal(), 5 + 3 * random.normal());
    // By sampling each triangle: never nearer than what was found, and nearly as near.
    double least = 1e9;
    for (const auto& t : mesh.triangles) {
      for (int u = 0; u <= 6; ++u) {
        for (int v = 0; v + u <= 6; ++v) {
          const Vec3 a = mesh.points[t[0]].cast<double>(), b = mesh.points[t[1]].cast<double>(), c = mesh.points[t[2]].cast<double>();
          const Vec3 p = a + u / 6.0 * (b - a) + v / 6.0 * (c - a);
          least = std::min(least, (p - place).norm());
        }
      }
    }
    const auto nearest = surface->nearest(place, 100);
    ASSERT_TRUE(nearest);
    EXPECT_LE(nearest->away, least + 1e-5);
    EXPECT_GT(nearest->away, least - 0.1);
    EXPECT_FALSE(surface->nearest(place, 0.9 * nearest->away)) << "out of reach";
  }
}

TEST_F(MeshSurfaces, WhatIsDrawnIsSmallerAndAlike) {
  const auto mesh = std::make_shared<SetMesh>(hillMesh(200, 10));
  const auto drawn = simplified(mesh, 8000);
  EXPECT_LE(drawn->triangles.size(), 8000u);
  EXPECT_GT(drawn->triangles.size(), 2000u);
  const auto surface = surfaceOf(*mesh);
  double worst = 0;
  for (const auto& p : drawn->points) worst = std::max(worst, surface->nearest(p.cast<double>(), 5)->away);
  EXPECT_LT(worst, 0.05);
  EXPECT_EQ(simplified(mesh, 1000000), mesh) << "itself where it is small enough";
  const SetMesh box = boxMesh({0, 0, 0}, {1, 2, 3});
  const auto edges = creases(box, 0.2, 100);
  EXPECT_EQ(edges.size(), 12u) << "not the diagonals of its faces";
  EXPECT_NEAR((box.points[edges[0][0]] - box.points[edges[0][1]]).norm(), 3, 1e-6) << "those that show most first";
  EXPECT_EQ(creases(box, 0.2, 4).size(), 4u);
}

TEST_F(MeshSurfaces, OfACloudTheFirstPointNearTheLineOfSightIsPicked) {
  SetMesh cloud;
  for (int i = 0; i < 400; ++i) cloud.points.emplace_back(0.1f * static_cast<float>(i % 20), 0.1f * static_cast<float>(i / 20), 0.0f);
  for (int i = 0; i < 400; ++i) cloud.points.emplace_back(0.1f * static_cast<float>(i % 20), 0.1f * static_cast<float>(i / 20), -2.0f);
  const auto surface = surfaceOf(cloud);
  const auto hit = surface->hit({0.51, 0.69, 5}, {0, 0, -1}, 0.01);
  ASSERT_TRUE(hit);
  EXPECT_LT((hit->at - Vec3(0.5, 0.7, 0)).norm(), 1e-6);
  EXPECT_FALSE(surface->hit({0.55, 0.65, 5}, {0, 0, -1}, 0.001)) << "between the points";
  EXPECT_LT((surface->nearest({1, 1, -1.8}, 5)->at - Vec3(1, 1, -2)).norm(), 1e-6);
}

/// Points on a room that were moved, turned and scaled, some of them on nothing.
class MeshFits : public MeshSurfaces {
 protected:
  static std::vector<Vec3> onRoom(Random& random, int count, int faces = 4) {
    std::vector<Vec3> points;
    for (int i = 0; i < count; ++i) {
      const double u = 0.15 + 0.7 * random.uniform(), v = 0.15 + 0.7 * random.uniform();
      const int face = i % faces;
      points.emplace_back(face == 0 ? 0 : face == 3 ? 6 : 6 * u, face == 1 ? 0 : 3 * v, face == 2 ? 0 : 5 * (face == 1 ? v : u));
    }
    return points;
  }
  const Similarity moved{1.04, rotationFromVector(Vec3(0.03, -0.05, 0.02)), Vec3(0.12, -0.1, 0.08)};
};

TEST_F(MeshFits, PointsComeToLieWhereTheyLayInSpiteOfOutliersAndNoise) {
  const auto room = surfaceOf(boxMesh({0, 0, 0}, {6, 3, 5}));
  for (int seed = 1; seed <= 10; ++seed) {
    Random random(static_cast<std::uint64_t>(seed));
    const auto truth = onRoom(random, 150);
    std::vector<Vec3> points;
    for (const Vec3& p : truth) points.push_back(moved * (p + 0.003 * Vec3(random.normal(), random.normal(), random.normal())));
    for (int i = 0; i < 40; ++i) points.push_back(moved * Vec3(1 + 4 * random.uniform(), 0.4 + 2 * random.uniform(), 0.6 + 3 * random.uniform()));
    const auto fit = fitToMesh(points, {}, *room, {}, {});
    ASSERT_TRUE(fit.ok()) << fit.error().message;
    double worst = 0;
    for (std::size_t i = 0; i < truth.size(); ++i) worst = std::max(worst, (fit->mesh_from_before * (moved * truth[i]) - truth[i]).norm());
    EXPECT_LT(worst, 0.006) << "seed " << seed;
    EXPECT_NEAR(fit->rms, 0.003, 0.0015);
    EXPECT_GT(fit->on.size(), 130u);
    EXPECT_GE(fit->off, 30u);
    EXPECT_LT(fit->loosest_sigma, 0.01);
  }
}

TEST_F(MeshFits, WhatWallsOfOneCornerDoNotSayAnchorsDo) {
  const auto room = surfaceOf(boxMesh({0, 0, 0}, {6, 3, 5}));
  Random random(4);
  const auto truth = onRoom(random, 120, 3);
  const Similarity begun{1.004, rotationFromVector(Vec3(0.002, -0.003, 0.001)), Vec3(0.005, -0.004, 0.003)};  // as picks would leave it
  std::vector<Vec3> points;
  for (const Vec3& p : truth) points.push_back(begun * p);
  EXPECT_THAT(fitToMesh(points, {}, *room, {}, {}).error().message, HasSubstr("does not hold")) << "about the corner any scale fits";
  std::vector<MeshAnchor> anchors;
  for (const std::size_t i : {0u, 1u, 2u, 30u, 31u, 32u}) anchors.push_back({i, truth[i], 0.01});
  anchors[2].at += Vec3(0.4, 0.3, 0);  // a wrong one
  const auto fit = fitToMesh(points, anchors, *room, {}, {});
  ASSERT_TRUE(fit.ok()) << fit.error().message;
  EXPECT_NEAR(fit->mesh_from_before.scale * begun.scale, 1, 0.006);
  double worst = 0;
  for (std::size_t i = 0; i < truth.size(); ++i) worst = std::max(worst, (fit->mesh_from_before * points[i] - truth[i]).norm());
  EXPECT_LT(worst, 0.05);
}

TEST_F(MeshFits, WhereTheScaleIsKnownItStays) {
  const auto room = surfaceOf(boxMesh({0, 0, 0}, {6, 3, 5}));
  Random random(2);
  auto points = onRoom(random, 90);
  const Similarity turned{1, moved.rotation, moved.shift};
  for (Vec3& p : points) p = turned * p;
  const auto fit = fitToMesh(points, {}, *room, {.free_scale = false}, {});
  ASSERT_TRUE(fit.ok());
  EXPECT_EQ(fit->mesh_from_before.scale, 1);
  EXPECT_LT(fit->rms, 1e-5);
}

TEST_F(MeshFits, WhatTheMeshDoesNotHoldIsRefused) {
  const auto room = surfaceOf(boxMesh({0, 0, 0}, {6, 3, 5}));
  Random random(5);
  std::vector<Vec3> floor;
  for (int i = 0; i < 60; ++i) floor.emplace_back(1 + 4 * random.uniform(), 0.02, 1 + 3 * random.uniform());
  EXPECT_THAT(fitToMesh(floor, {}, *room, {}, {}).error().message, HasSubstr("one plane"));
  EXPECT_THAT(fitToMesh({{0, 0, 0}, {1, 0, 0}}, {}, *room, {}, {}).error().message, HasSubstr("near the mesh"));
  for (Vec3& p : floor) p.y() += 50;
  EXPECT_THAT(fitToMesh(floor, {}, *room, {}, {}).error().message, HasSubstr("near the mesh"));
}

}  // namespace dusky::testing
