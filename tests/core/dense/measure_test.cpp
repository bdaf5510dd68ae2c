#include "core/dense/measure.h"

#include <gtest/gtest.h>

namespace dusky::testing {
namespace {

std::optional<std::size_t> pickIn(const std::vector<Vec3>& points, const PickRay& ray) {
  return pickedPoint(
      points, [](const Vec3& p) { return p; }, ray);
}

TEST(Measure, ThePointBeforeOthersIsMeant) {
  const PickRay ray{.from = Vec3(0, 0, -1), .direction = Vec3::UnitZ(), .within = 0, .within_per_unit = 0.01};
  const std::vector<Vec3> points = {{0, 0, 9}, {0.03, 0, 4}, {0.01, 0, 4.02}, {2, 0, 3}, {0, 0, -3}};
  EXPECT_EQ(pickIn(points, ray), 2U);  // as far as the first, and nearer to the line
  EXPECT_EQ(pickIn({points[0], points[3]}, ray), 0U);
  EXPECT_FALSE(pickIn({points[3], points[4]}, ray));
  EXPECT_FALSE(pickIn({}, ray));
  EXPECT_TRUE(pickIn({points[3]}, {.from = Vec3(0, 0, -1), .direction = Vec3::UnitZ(), .within = 2.1}));
}

TEST(Measure, TellsLengthsAndThePlane) {
  const std::vector<Vec3> places = {{0, 1, 0}, {3, 1, 4}, {3, 1, 0}};
  EXPECT_EQ(measured(places).lengths, (std::vector<double>{5, 4}));
  EXPECT_NEAR(measured(places).tilt_deg, 0, 1e-6);
  EXPECT_NEAR(measured(places).plane->offset, 1, 1e-9);
  // A wall, one place 0.3 beside it.
  const PlacesMeasured wall = measured({{0, 0, 0}, {0, 3, 0}, {0, 0, 3}, {0, 3, 3}, {0.3, 1.5, 1.5}});
  EXPECT_NEAR(wall.tilt_deg, 90, 1e-6);
  EXPECT_NEAR(wall.plane_rms, 0.12, 1e-9);
}

TEST(Measure, TwoPlacesAndALineHaveNoPlane) {
  EXPECT_FALSE(measured({{0, 0, 0}, {1, 0, 0}}).plane);
  EXPECT_TRUE(measured({{0, 0, 0}}).lengths.empty());
  EXPECT_FALSE(measured({{0, 0, 0}, {1, 0, 0}, {2, 0, 0}}).plane);
}

}  // namespace
}  // namespace dusky::testing
