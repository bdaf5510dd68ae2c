// A surface covered with the keyframes' pictures: each piece lies where it is said to, and shows what a frame that had no part in it shows there.
#include "core/dense/texture.h"

#include <gmock/gmock.h>
#include <gtest/gtest.h>

#include <cmath>

#include "core/base/random.h"
#include "core/dense/dense.h"
#include "core/dense/dense_files.h"
#include "core/dense/surface.h"
#include "core/dense/texture_charts.h"
#include "core/dense/texture_pages.h"
#include "core/mesh/mesh_surface.h"
#include "tests/support/made_delivery.h"
#include "tests/support/temporary_folder.h"

namespace dusky::testing {
namespace {
using ::testing::HasSubstr;

TEST(TexturePages, PiecesLieApartAndInside) {
  Random random(5);
  std::vector<Eigen::Vector2d> pieces;
  for (int k = 0; k < 400; ++k) pieces.emplace_back(random.between(1, 90), random.between(1, 60));
  const auto page = packed(pieces, 50, 1024);
  ASSERT_TRUE(page.ok()) << page.error().message;
  EXPECT_LE(page->scale, 1);
  EXPECT_GT(page->scale, 0.5) << "half of it would be enough room at full size";
  ASSERT_EQ(page->at.size(), 450U);
  std::vector<std::uint8_t> taken(static_cast<std::size_t>(page->side_px) * static_cast<std::size_t>(page->height_px), 0);
  for (std::size_t k = 0; k < page->at.size(); ++k) {
    const Eigen::Vector2i size = k < pieces.size() ? page->sizeOf(pieces[k]) : Eigen::Vector2i(4, 4), low = page->at[k];
    ASSERT_TRUE(low.minCoeff() >= 0 && low.x() + size.x() <= page->side_px && low.y() + size.y() <= page->height_px);
    for (int y = low.y(); y < low.y() + size.y(); ++y) {
      for (int x = low.x(); x < low.x() + size.x(); ++x)
        ASSERT_EQ(taken[static_cast<std::size_t>(y) * static_cast<std::size_t>(page->side_px) + static_cast<std::size_t>(x)]++, 0);
    }
  }
  const auto few = packed({{100, 50}}, 0, 4096);
  EXPECT_EQ(few->side_px, 256) << "no larger than there is something to show";
  EXPECT_EQ(few->scale, 1);
  EXPECT_THAT(packed(std::vector<Eigen::Vector2d>(20'000, {5, 5}), 0, 256).error().message, HasSubstr("make it larger"));
}

/// A flat strip of 2 × `length` triangles.
SetMesh strip(std::uint32_t length) {
  SetMesh mesh;
  for (std::uint32_t k = 0; k <= length; ++k) mesh.points.emplace_back(k, 0, 0), mesh.points.emplace_back(k, 1, 0);
  for (std::uint32_t k = 0; k < length; ++k)
    mesh.triangles.push_back({2 * k, 2 * k + 2, 2 * k + 1}), mesh.triangles.push_back({2 * k + 1, 2 * k + 2, 2 * k + 3});
  return mesh;
}

TEST(TextureCharts, NeighboursKeepToOneViewWhereThatCostsLittle) {
  const SetMesh mesh = strip(20);
  std::vector<std::vector<TextureChoice>> choices(40);
  for (std::size_t t = 0; t < 40; ++t) {
    // The left half is seen best in view 0, the right one in view 1; one triangle hardly better in the other; one that only view 2 sees; one that none does.
    const double left = t < 20 ? 10 : 3, right = t < 20 ? 3 : 10;
    choices[t] = {{0, left}, {1, right}};
  }
  choices[7] = {{0, 10}, {1, 10.5}};
  choices[30] = {{2, 1}};
  choices[39] = {};
  const std::vector<int> views = chosenViews(mesh, choices);
  for (std::size_t t = 0; t < 39; ++t) EXPECT_EQ(views[t], t == 30 ? 2 : t < 20 ? 0 : 1) << t;
  EXPECT_EQ(views[39], -1);
  const auto charts = chartsOf(mesh, views);
  ASSERT_EQ(charts.size(), 4U) << "left, right on both sides of the one that is seen elsewhere, and that one";
  EXPECT_EQ(charts[0].triangles.size(), 20U);
  std::size_t all = 0;
  for (const TextureChart& chart : charts) all += chart.triangles.size();
  EXPECT_EQ(all, 39U);
}

class SetTexture : public ::testing::Test {
 protected:
  static void SetUpTestSuite() {
    made = std::make_unique<MadeDelivery>(smallPlan(ShotKind::Free, 24));
    made->scene.scene_from_solve = {0.5, Eigen::Quaterniond(Eigen::AngleAxisd(0.7, Vec3::UnitY())), Vec3(1, 0, 2)};
    folder = std::make_unique<TemporaryFolder>();
    std::vector<int> every_other;
    for (int frame = 1001; frame < 1025; frame += 2) every_other.push_back(frame);
    auto dense = makeDense({.solution = made->solution, .open_footage = made->input().open_footage, .folder = folder->path()},
                           {.quality = DenseQuality::Fine, .keyframes = every_other}, {});
    ASSERT_TRUE(dense.ok()) << dense.error().message;
    for (const DenseFrame& frame : dense->frames) frames.push_back(frame.frame);
    auto surface = surfaceOf(dense->cloud, made->scene.scene_from_solve, {.triangles = 3000}, {});
    ASSERT_TRUE(surface.ok()) << surface.error().message;
    mesh = std::move(surface->mesh);
  }
  static void TearDownTestSuite() { made.reset(), folder.reset(), mesh = {}, frames.clear(); }
  static TextureInput input() {
    return {.solution = made->solution,
            .scene_from_solve = made->scene.scene_from_solve,
            .frames = frames,
            .depthOf = [](int frame) { return readFusedView(depthMapIn(folder->path(), frame)); },
            .open_footage = made->input().open_footage};
  }
  static std::unique_ptr<MadeDelivery> made;
  static std::unique_ptr<TemporaryFolder> folder;
  static SetMesh mesh;
  static std::vector<int> frames;
};
std::unique_ptr<MadeDelivery> SetTexture::made;
std::unique_ptr<TemporaryFolder> SetTexture::folder;
SetMesh SetTexture::mesh;
std::vector<int> SetTexture::frames;

double greyOf(const Rgb& c) { return 0.2126 * c.r + 0.7152 * c.g + 0.0722 * c.b; }
double greyOf(const std::array<std::uint8_t, 3>& c) { return greyOf(Rgb{c[0], c[1], c[2]}); }

TEST_F(SetTexture, ShowsWhatAFrameThatHadNoPartInItShows) {
  const auto covered = textured(mesh, input(), {.side_px = 2048}, {});
  ASSERT_TRUE(covered.ok()) << covered.error().message;
  ASSERT_TRUE(covered->texture);
  const MeshTexture& texture = *covered->texture;
  ASSERT_EQ(texture.corners.size(), mesh.triangles.size());
  constexpr int held_out = 1012;
  ASSERT_FALSE(std::binary_search(frames.begin(), frames.end(), held_out));
  const SolvedFrame& frame = *made->solution.frameAt(held_out);
  const Lens lens = made->solution.lensAt(frame);
  const auto footage = made->input().open_footage();
  const Picture picture = (*footage)->read(held_out, FrameUse::Screen)->picture;
  const auto surface = *MeshSurface::make(std::make_shared<const SetMesh>(mesh), {});
  const Similarity& scene = made->scene.scene_from_solve;
  const Vec3 eye = scene * frame.pose.centre;
  double by_texture = 0, by_points = 0;
  int seen = 0;
  for (std::size_t t = 0; t < mesh.triangles.size(); ++t) {
    const auto& corners = mesh.triangles[t];
    const Vec3 middle = (mesh.points[corners[0]] + mesh.points[corners[1]] + mesh.points[corners[2]]).cast<double>() / 3;
    const auto at = project(lens, frame.pose, scene.inverse() * middle);
    if (!at || at->x() < 1 || at->y() < 1 || at->x() > picture.width - 2 || at->y() > picture.height - 2) continue;
    if (surface->hides(eye, middle + 0.003 * (eye - middle))) continue;
    const Eigen::Vector2f on = (texture.corners[t][0] + texture.corners[t][1] + texture.corners[t][2]) / 3;
    ASSERT_TRUE(on.x() >= 0 && on.y() >= 0 && on.x() < static_cast<float>(texture.picture.width) && on.y() < static_cast<float>(texture.picture.height));
    const double truth = greyOf(picture.at(static_cast<int>(at->x()), static_cast<int>(at->y())));
    const double shown = greyOf(texture.picture.at(static_cast<int>(on.x()), static_cast<int>(on.y())));
    const double between = (greyOf(mesh.colors[corners[0]]) + greyOf(mesh.colors[corners[1]]) + greyOf(mesh.colors[corners[2]])) / 3;
    by_texture += std::min(400.0, (shown - truth) * (shown - truth)), by_points += std::min(400.0, (between - truth) * (between - truth));
    ++seen;
  }
  ASSERT_GT(seen, 500);
  RecordProperty("texture_rms_grey", std::to_string(std::sqrt(by_texture / seen)));
  RecordProperty("points_rms_grey", std::to_string(std::sqrt(by_points / seen)));
  EXPECT_LT(std::sqrt(by_texture / seen), 9) << "grey levels";
  EXPECT_LT(by_texture, 0.5 * by_points) << "a texture tells much more than colours at so few points";
}

TEST_F(SetTexture, IsTheSameEveryTimeAndFitsWhereItIsSmall) {
  const auto one = textured(mesh, input(), {.side_px = 512}, {}), other = textured(mesh, input(), {.side_px = 512}, {});
  ASSERT_TRUE(one.ok() && other.ok()) << one.error().message;
  EXPECT_LE(one->texture->picture.width, 512);
  EXPECT_EQ(one->texture->picture.data, other->texture->picture.data);
  EXPECT_FALSE(textured(mesh, input(), {.side_px = 100}, {}).ok());
  EXPECT_FALSE(textured(mesh, input(), {.side_px = 0}, {})->texture);
}

TEST_F(SetTexture, WhatIsMaskedInAKeyframeIsTakenFromAnother) {
  TextureInput masked = input();
  // All of every keyframe but one is left out.
  const int only = frames[frames.size() / 2];
  masked.mask = [&](int frame) -> Result<Plane<std::uint8_t>> { return frame == only ? Plane<std::uint8_t>() : Plane<std::uint8_t>(320, 180, 1); };
  int read = 0;
  masked.open_footage = [&]() -> Result<std::unique_ptr<FrameSource>> { return ++read, made->input().open_footage(); };
  const auto covered = textured(mesh, masked, {.side_px = 1024}, {});
  ASSERT_TRUE(covered.ok()) << covered.error().message;
  EXPECT_EQ(read, 1);
  std::size_t small = 0;
  for (const auto& corners : covered->texture->corners) small += (corners[1] - corners[0]).norm() == 2 && (corners[2] - corners[0]).norm() == 2;
  EXPECT_GT(small, mesh.triangles.size() / 20) << "what that one does not see keeps the colours of its points";
  EXPECT_LT(small, mesh.triangles.size());
}

}  // namespace
}  // namespace dusky::testing
