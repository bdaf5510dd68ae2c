// Surfaces of dense points whose true surface is known.
#include "core/dense/surface.h"

#include <gmock/gmock.h>
#include <gtest/gtest.h>

#include <map>

#include "core/base/random.h"
#include "core/base/thread_limit.h"

namespace dusky::testing {
using ::testing::HasSubstr;

/// Points on a ball of radius 1, with noise across the surface; `part`: only above this height.
DenseCloud ball(int count, double noise, double part = -2) {
  DenseCloud cloud;
  Random random(11);
  while (static_cast<int>(cloud.points.size()) < count) {
    const Vec3 out = Vec3(random.normal(), random.normal(), random.normal()).normalized();
    if (out.y() < part) continue;
    DensePoint point;
    point.at = ((1 + noise * random.normal()) * out).cast<float>(), point.normal = out.cast<float>();
    point.pixel = 0.02F;
    point.color = out.x() > 0 ? Rgb{200, 40, 40} : Rgb{40, 40, 200};
    cloud.points.push_back(point);
  }
  return cloud;
}

struct Shape {
  double worst = 0, outward = 0;  ///< Farthest from the ball; share of triangles that face outwards.
  int edges_of_one = 0;           ///< Edges that belong to one triangle alone: where it is open.
};

Shape shapeOf(const SetMesh& mesh) {
  Shape shape;
  std::map<std::pair<std::uint32_t, std::uint32_t>, int> edges;
  for (const auto& p : mesh.points) shape.worst = std::max(shape.worst, std::abs(static_cast<double>(p.norm()) - 1));
  for (const auto& t : mesh.triangles) {
    const auto &a = mesh.points[t[0]], &b = mesh.points[t[1]], &c = mesh.points[t[2]];
    shape.outward += (b - a).cross(c - a).dot(a + b + c) > 0;
    for (std::size_t k = 0; k < 3; ++k) ++edges[std::minmax(t[k], t[(k + 1) % 3])];
  }
  shape.outward /= static_cast<double>(mesh.triangles.size());
  for (const auto& [edge, count] : edges) shape.edges_of_one += count == 1;
  return shape;
}

TEST(Surface, OfABallIsClosedLiesOnItAndFacesOutwards) {
  const auto made = surfaceOf(ball(60'000, 0.004), {}, {}, {});
  ASSERT_TRUE(made.ok()) << made.error().message;
  const Shape shape = shapeOf(made->mesh);
  EXPECT_LT(shape.worst, 0.01);
  EXPECT_EQ(shape.edges_of_one, 0);
  EXPECT_GT(shape.outward, 0.999);
  EXPECT_GT(made->mesh.triangles.size(), 5000U);
  for (std::size_t k = 0; k < made->mesh.points.size(); ++k) {
    const float x = made->mesh.points[k].x();
    if (std::abs(x) > 0.1F) {
      EXPECT_EQ(made->mesh.colors[k][0] > made->mesh.colors[k][2], x > 0);
    }
  }
}

TEST(Surface, EndsWhereThePointsDo) {
  const auto made = surfaceOf(ball(40'000, 0.002, 0.2), {}, {}, {});
  ASSERT_TRUE(made.ok()) << made.error().message;
  EXPECT_LT(shapeOf(made->mesh).worst, 0.01);
  for (const auto& p : made->mesh.points) EXPECT_GT(p.y(), 0.2F - 0.06F);
  EXPECT_GT(shapeOf(made->mesh).edges_of_one, 50);
}

TEST(Surface, LosesTrianglesButNotItsShape) {
  const auto made = surfaceOf(ball(60'000, 0.002), {}, {.triangles = 800}, {});
  ASSERT_TRUE(made.ok()) << made.error().message;
  EXPECT_LE(made->mesh.triangles.size(), 800U);
  EXPECT_GT(made->full, 5000U);
  EXPECT_LT(shapeOf(made->mesh).worst, 0.02);
}

TEST(Surface, LiesInTheScene) {
  const Similarity scene{3, Eigen::Quaterniond(Eigen::AngleAxisd(1, Vec3::UnitY())), Vec3(10, 0, -4)};
  const auto made = surfaceOf(ball(40'000, 0.002), scene, {}, {});
  ASSERT_TRUE(made.ok()) << made.error().message;
  for (const auto& p : made->mesh.points) EXPECT_NEAR((p.cast<double>() - Vec3(10, 0, -4)).norm(), 3, 0.03);
}

TEST(Surface, SmallPiecesAreLeftOut) {
  DenseCloud cloud = ball(60'000, 0.002);
  Random random(2);
  for (int blob = 0; blob < 20; ++blob) {
    const Vec3 middle(random.between(1.6, 3), random.between(-1, 1), random.between(-1, 1));
    for (int k = 0; k < 12; ++k) {
      DensePoint point = cloud.points[0];
      point.at = (middle + 0.01 * Vec3(random.normal(), random.normal(), random.normal())).cast<float>();
      cloud.points.push_back(point);
    }
  }
  const auto made = surfaceOf(cloud, {}, {}, {});
  for (const auto& p : made->mesh.points) EXPECT_LT(p.norm(), 1.05F);
}

TEST(Surface, TheSameWithOneThread) {
  const DenseCloud cloud = ball(30'000, 0.004);
  const auto all = surfaceOf(cloud, {}, {}, {});
  const ThreadLimit limit(1);
  const auto one = surfaceOf(cloud, {}, {}, {});
  ASSERT_EQ(all->mesh.points.size(), one->mesh.points.size());
  for (std::size_t k = 0; k < all->mesh.points.size(); ++k) ASSERT_EQ(all->mesh.points[k], one->mesh.points[k]);
  EXPECT_EQ(all->mesh.triangles, one->mesh.triangles);
}

TEST(Surface, TooFewOrTooThinPointsAreRefusedInWords) {
  EXPECT_THAT(surfaceOf(ball(50, 0), {}, {}, {}).error().message, HasSubstr("100 dense points at least"));
  EXPECT_THAT(surfaceOf(ball(120, 0), {}, {.cell = 1e-4}, {}).error().message, HasSubstr("too far apart"));
}

}  // namespace dusky::testing
