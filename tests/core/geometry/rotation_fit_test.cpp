#include "core/geometry/rotation_fit.h"

#include <gtest/gtest.h>

#include "core/base/random.h"

namespace dusky::testing {

Vec3 anyDirection(Random& random) { return Vec3(random.normal(), random.normal(), random.normal()).normalized(); }

TEST(Turn, IsFoundAmongWrongPairs) {
  Random random(8);
  const Eigen::Quaterniond truth = rotationFromVector(Vec3(0.4, -1.1, 0.3));
  std::vector<Vec3> from, to;
  for (int i = 0; i < 60; ++i) {
    from.push_back(anyDirection(random));
    const bool wrong = i % 3 == 0;
    to.push_back(wrong ? anyDirection(random) : Vec3((truth * from.back() + 0.0005 * anyDirection(random)).normalized()));
  }
  const auto turn = rotationBetweenDirections(from, to, 0.003, 1);
  ASSERT_TRUE(turn);
  EXPECT_LT(turn->to_from.angularDistance(truth), 5e-4);
  EXPECT_GE(turn->inliers.size(), 38u);
  EXPECT_LE(turn->inliers.size(), 42u);
}

TEST(Turn, NeedsThreePairsThatAgree) {
  Random random(9);
  std::vector<Vec3> from, to;
  for (int i = 0; i < 20; ++i) from.push_back(anyDirection(random)), to.push_back(anyDirection(random));
  const auto turn = rotationBetweenDirections(from, to, 1e-4, 1);
  EXPECT_FALSE(turn && turn->inliers.size() > 3);
  EXPECT_FALSE(rotationBetweenDirections({Vec3::UnitX()}, {Vec3::UnitX()}, 0.1, 1));
  EXPECT_FALSE(rotationBetweenDirections({}, {}, 0.1, 1));
}

}  // namespace dusky::testing
