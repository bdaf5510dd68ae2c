// Dense points and meshes as deliveries: where the tracks have their points, in every format; what is wrong with them is found.
#include <gmock/gmock.h>
#include <gtest/gtest.h>

#include <algorithm>
#include <cstring>
#include <regex>

#include "core/base/atomic_file.h"
#include "core/deliver/read_back.h"
#include "core/dense/clean.h"
#include "core/dense/dense.h"
#include "core/dense/surface.h"
#include "core/mesh/mesh_surface.h"
#include "tests/support/made_delivery.h"
#include "tests/support/temporary_folder.h"

namespace dusky::testing {
namespace fs = std::filesystem;
using ::testing::HasSubstr;

class DenseDelivery : public ::testing::Test {
 protected:
  static void SetUpTestSuite() {
    ShotPlan plan = planShot(ShotKind::Free);
    plan.width = 320, plan.height = 180, plan.frames = 16, plan.first_frame = 1001, plan.samples = 1;
    plan.lens = Lens::simple(320, 180, 280);
    made = std::make_unique<MadeDelivery>(plan);
    made->scene.scene_from_solve = {0.5, Eigen::Quaterniond(Eigen::AngleAxisd(0.7, Vec3::UnitY())), Vec3(1, 0, 2)};
    auto dense = makeDense({made->solution, made->input().open_footage}, {.quality = DenseQuality::Fine}, {});
    ASSERT_TRUE(dense.ok()) << dense.error().message;
    cloud = std::make_shared<DenseCloud>(std::move(dense->cloud));
    auto surface = surfaceOf(*cloud, made->scene.scene_from_solve, {.triangles = 20'000}, {});
    ASSERT_TRUE(surface.ok()) << surface.error().message;
    mesh = std::make_shared<SetMesh>(std::move(surface->mesh));
  }
  static void TearDownTestSuite() { made.reset(), cloud.reset(), mesh.reset(); }
  static DeliveryInput input() {
    DeliveryInput input = made->input();
    input.open_dense = [](const Progress&) -> Result<DenseCloudPtr> { return cloud; };
    input.open_surface = [](int, const Progress&) -> Result<SetMeshPtr> { return mesh; };
    return input;
  }
  static DeliveryChoices all() {
    DeliveryChoices choices;
    choices.what = {"dense.ply", "mesh.ply", "mesh.obj", "mesh.glb", "mesh.usda"};
    return choices;
  }
  std::string failure(const DeliveryChoices& choices) const { return checkDelivery(input(), choices, folder.path(), {})->failure(); }

  static std::unique_ptr<MadeDelivery> made;
  static DenseCloudPtr cloud;
  static SetMeshPtr mesh;
  TemporaryFolder folder;
};
std::unique_ptr<MadeDelivery> DenseDelivery::made;
DenseCloudPtr DenseDelivery::cloud;
SetMeshPtr DenseDelivery::mesh;

TEST_F(DenseDelivery, EveryFormatHoldsTheSameMeshInTheChosenWorld) {
  DeliveryChoices choices = all();
  choices.world.up = UpAxis::Z, choices.world.scale = 10;
  const auto delivered = deliver(input(), choices, folder.path(), {});
  ASSERT_TRUE(delivered.ok()) << delivered.error().message;
  ASSERT_TRUE(delivered->receipt->passed()) << delivered->receipt->failure();
  const Mat3 z_up = (Mat3() << 1, 0, 0, 0, 0, -1, 0, 1, 0).finished();
  for (const char* name : {"mesh.ply", "mesh.obj", "mesh.glb"}) {
    const auto read = readSetMesh(folder / name, {});
    ASSERT_TRUE(read.ok()) << name << read.error().message;
    EXPECT_EQ((*read)->triangles.size(), mesh->triangles.size()) << name;
    const bool y_up = std::string_view(name) == "mesh.glb";
    const Vec3 low = 10 * mesh->low(), high = 10 * mesh->high();
    const Vec3 turned_low = y_up ? low : (z_up * low).cwiseMin(z_up * high).eval(), turned_high = y_up ? high : (z_up * low).cwiseMax(z_up * high).eval();
    EXPECT_LT(((*read)->low() - turned_low).norm(), 1e-3 * turned_high.norm()) << name;
    EXPECT_LT(((*read)->high() - turned_high).norm(), 1e-3 * turned_high.norm()) << name;
  }
  const auto points = readBackPly(folder / "dense.ply");
  ASSERT_TRUE(points.ok()) << points.error().message;
  ASSERT_EQ(points->points.size(), cloud->points.size());
  const Vec3 first = 10 * (z_up * (made->scene.scene_from_solve * cloud->points[0].at.cast<double>()));
  EXPECT_LT((points->points[0].at - first).norm(), 1e-4 * first.norm());
}

/// The mesh with a texture of four colours, each triangle on one of them.
SetMeshPtr checkered(const SetMesh& plain) {
  auto covered = std::make_shared<SetMesh>(plain);
  auto texture = std::make_shared<MeshTexture>();
  texture->picture = Picture(256, 128);
  for (int y = 0; y < 128; ++y) {
    for (int x = 0; x < 256; ++x) texture->picture.at(x, y) = {static_cast<std::uint8_t>(x < 128 ? 250 : 20), static_cast<std::uint8_t>(y < 64 ? 200 : 40), 90};
  }
  for (std::size_t t = 0; t < plain.triangles.size(); ++t) {
    const Eigen::Vector2f corner(t % 2 == 0 ? 10.0F : 140.0F, t % 3 == 0 ? 8.0F : 70.0F);
    texture->corners.push_back({corner, corner + Eigen::Vector2f(40, 0), corner + Eigen::Vector2f(0, 40)});
  }
  covered->texture = texture;
  return covered;
}

TEST_F(DenseDelivery, TexturesGoWithTheFormatsThatTakeThem) {
  DeliveryInput covered = input();
  const SetMeshPtr with_texture = checkered(*mesh);
  int asked = 0;
  covered.open_surface = [&](int px, const Progress&) -> Result<SetMeshPtr> { return asked = std::max(asked, px), px > 0 ? with_texture : mesh; };
  DeliveryChoices choices = all();
  choices.mesh_texture_px = 1024;
  const auto delivered = deliver(covered, choices, folder.path(), {});
  ASSERT_TRUE(delivered.ok()) << delivered.error().message;
  EXPECT_TRUE(delivered->receipt->passed()) << delivered->receipt->failure();
  EXPECT_EQ(asked, 1024);
  std::vector<std::string> names;
  for (const DeliveredFile& file : delivered->files) names.push_back(file.path.filename().string());
  for (const char* name : {"mesh.ply", "mesh.obj", "mesh.mtl", "mesh.png", "mesh.glb", "mesh.usda"})
    EXPECT_EQ(std::count(names.begin(), names.end(), name), 1) << name;
  for (const char* name : {"mesh.obj", "mesh.glb"}) {
    const auto read = readSetMesh(folder / name, {});
    ASSERT_TRUE(read.ok()) << name << read.error().message;
    EXPECT_EQ((*read)->triangles.size(), mesh->triangles.size()) << name;
  }
  const std::string obj = *readFile(folder / "mesh.obj"), mtl = *readFile(folder / "mesh.mtl"), usda = *readFile(folder / "mesh.usda");
  EXPECT_THAT(obj, HasSubstr("mtllib mesh.mtl"));
  EXPECT_THAT(mtl, HasSubstr("map_Kd mesh.png"));
  EXPECT_THAT(usda, HasSubstr("@./mesh.png@"));
  // The first triangle's first corner: 10 px from the left, 8 from above.
  EXPECT_THAT(obj, HasSubstr("\nvt 0.039062 0.937500\n"));
  EXPECT_THAT(usda, HasSubstr("texCoord2f[] primvars:st = [(0.039062, 0.937500)"));
  EXPECT_EQ(*readFile(folder / "mesh.ply"), [&] {
    TemporaryFolder plain;
    EXPECT_TRUE(deliver(input(), all(), plain.path(), {}).ok());
    return *readFile(plain / "mesh.ply");
  }()) << "PLY has colours at its points, as ever";
  // What is missing, cut off or too large is found.
  const auto failureNow = [&] { return checkDelivery(covered, choices, folder.path(), {})->failure(); };
  const std::string png = *readFile(folder / "mesh.png"), glb = *readFile(folder / "mesh.glb");
  ASSERT_TRUE(writeFileAtomically(folder / "mesh.png", png.substr(0, png.size() / 3)).ok());
  EXPECT_THAT(failureNow(), HasSubstr("mesh.obj: "));
  ASSERT_TRUE(std::filesystem::remove(folder / "mesh.png"));
  EXPECT_THAT(failureNow(), HasSubstr("mesh.png"));
  ASSERT_TRUE(writeFileAtomically(folder / "mesh.png", png).ok());
  ASSERT_TRUE(writeFileAtomically(folder / "mesh.mtl", std::regex_replace(mtl, std::regex("mesh.png"), "other.png")).ok());
  EXPECT_THAT(failureNow(), HasSubstr("does not name its picture mesh.png"));
  ASSERT_TRUE(writeFileAtomically(folder / "mesh.mtl", mtl).ok());
  ASSERT_TRUE(writeFileAtomically(folder / "mesh.glb", std::regex_replace(glb, std::regex("IDAT"), "IDXT")).ok());
  EXPECT_THAT(failureNow(), HasSubstr("mesh.glb: "));
  ASSERT_TRUE(writeFileAtomically(folder / "mesh.glb", glb).ok());
  EXPECT_EQ(failureNow(), "");
  choices.mesh_texture_px = 100;
  EXPECT_THAT(deliver(covered, choices, folder.path(), {}).error().message, HasSubstr("256 to 16384"));
}

TEST_F(DenseDelivery, WhatIsWrongIsFoundAndNamed) {
  const DeliveryChoices choices = all();
  ASSERT_TRUE(deliver(input(), choices, folder.path(), {}).ok());
  EXPECT_EQ(failure(choices), "");
  const auto sabotage = [&](const char* name, const auto& how, const char* found) {
    const std::string whole = *readFile(folder / name);
    ASSERT_TRUE(writeFileAtomically(folder / name, how(whole)).ok());
    EXPECT_THAT(failure(choices), HasSubstr(found)) << name;
    ASSERT_TRUE(writeFileAtomically(folder / name, whole).ok());
  };
  const auto half = [](const std::string& text) { return text.substr(0, text.size() / 2); };
  for (const char* name : {"dense.ply", "mesh.ply", "mesh.glb", "mesh.usda"}) sabotage(name, half, name);
  sabotage(
      "dense.ply", [](const std::string& text) { return std::regex_replace(text, std::regex("Y up"), "Z up"); }, "dense.ply: ");
  // Every x the other way, and everything twice as large.
  sabotage(
      "mesh.obj", [](const std::string& text) { return std::regex_replace(std::regex_replace(text, std::regex("\nv "), "\nv -"), std::regex("--"), ""); },
      "mesh.obj: ");
  sabotage(
      "mesh.obj", [](const std::string& text) { return std::regex_replace(text, std::regex("\nv ([-0-9.]+) ([-0-9.]+) ([-0-9.]+)"), "\nv $13 $23 $33"); },
      "mesh.obj: ");
}

TEST_F(DenseDelivery, WhatWasCutDownToASmallPartOfTheSetPasses) {
  // A tenth of the points, round one of them.
  const Eigen::Vector3f middle = cloud->points[cloud->points.size() / 2].at;
  auto part = std::make_shared<DenseCloud>(*cloud);
  const auto nearer = [&](const DensePoint& a, const DensePoint& b) { return (a.at - middle).squaredNorm() < (b.at - middle).squaredNorm(); };
  const auto tenth = part->points.begin() + static_cast<std::ptrdiff_t>(part->points.size() / 10);
  std::nth_element(part->points.begin(), tenth, part->points.end(), nearer);
  part->points.erase(tenth, part->points.end());
  DeliveryInput trimmed = input();
  trimmed.open_dense = [&](const Progress&) -> Result<DenseCloudPtr> { return DenseCloudPtr(part); };
  DeliveryChoices choices;
  choices.what = {"dense.ply"};
  const auto delivered = deliver(trimmed, choices, folder.path(), {});
  ASSERT_TRUE(delivered.ok()) << delivered.error().message;
  EXPECT_TRUE(delivered->receipt->passed()) << delivered->receipt->failure();
  // And is found all the same where it lies elsewhere.
  std::string bytes = *readFile(folder / "dense.ply");
  const std::size_t begins = bytes.find("end_header\n") + 11;
  for (std::size_t at = begins; at + 36 <= bytes.size(); at += 36) {
    float x = 0;
    std::memcpy(&x, bytes.data() + at, sizeof(x));
    x = -x;
    std::memcpy(bytes.data() + at, &x, sizeof(x));
  }
  ASSERT_TRUE(writeFileAtomically(folder / "dense.ply", bytes).ok());
  EXPECT_THAT(checkDelivery(trimmed, choices, folder.path(), {})->failure(), HasSubstr("dense.ply"));
}

TEST_F(DenseDelivery, SplatSetsTakeDensePointsBesideThoseOfTracks) {
  DeliveryChoices choices;
  choices.what = {"splat-set"}, choices.splat.dense = true, choices.splat.centred = true;
  const auto delivered = deliver(input(), choices, folder.path(), {});
  ASSERT_TRUE(delivered.ok()) << delivered.error().message;
  EXPECT_TRUE(delivered->receipt->passed()) << delivered->receipt->failure();
  const auto points = readBackPly(folder / "splat-set" / "points.ply");
  ASSERT_TRUE(points.ok()) << points.error().message;
  std::size_t dense = 0, far = 0;
  for (const ReadScene::Point& point : points->points) dense += point.track == -1, far += point.track == -1 && point.at.norm() > 3;
  EXPECT_EQ(dense, cloud->points.size());
  EXPECT_LT(far, dense / 10) << "nine of ten of the tracks' points lie within 1";
}

TEST_F(DenseDelivery, WithoutDensePointsItSaysWhatToDo) {
  for (const char* name : {"dense.ply", "mesh.glb"}) {
    DeliveryChoices choices;
    choices.what = {name};
    const auto delivered = deliver(made->input(), choices, folder.path(), {});
    ASSERT_FALSE(delivered.ok());
    EXPECT_THAT(delivered.error().message, HasSubstr("needs dense points"));
    EXPECT_TRUE(fs::is_empty(folder.path()));
  }
}

}  // namespace dusky::testing
