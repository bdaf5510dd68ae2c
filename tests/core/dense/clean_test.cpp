// Rules that leave dense points out: each takes what it says, and only that.
#include "core/dense/clean.h"

#include <gmock/gmock.h>
#include <gtest/gtest.h>

#include "core/base/random.h"
#include "core/base/thread_limit.h"

namespace dusky::testing {
using ::testing::HasSubstr;

DensePoint pointAt(double x, double y, double z) {
  DensePoint point;
  point.at = Vec3(x, y, z).cast<float>(), point.normal = {0, 0, 1};
  point.views = 5, point.confidence = 0.9F, point.sigma = 0.001F, point.pixel = 0.01F, point.slant_deg = 20, point.color_apart = 5;
  return point;
}

/// A wall of points a pixel apart, 2 × 2 large, at z = 0.
DenseCloud wall() {
  DenseCloud cloud;
  for (int i = -100; i < 100; ++i)
    for (int k = -100; k < 100; ++k) cloud.points.push_back(pointAt(0.01 * i, 0.01 * k, 0));
  return cloud;
}

std::size_t countOf(const Cleaning& cleaning, CleanReason reason) { return cleaning.counts[static_cast<std::size_t>(reason)]; }

TEST(CleanRules, EachTakesWhatItSaysAndTheFirstOneThatDoesIsNamed) {
  DenseCloud cloud = wall();
  const std::size_t all = cloud.points.size();
  cloud.points[0].views = 3;
  cloud.points[1].confidence = 0.3F;
  cloud.points[2].slant_deg = 80;
  cloud.points[3].color_apart = 90;
  cloud.points[4].views = 3, cloud.points[4].slant_deg = 85;
  const auto none = cleanDense(cloud, {.least_confidence = 0, .most_slant_deg = 90}, {}, {});
  EXPECT_EQ(none->kept(), all);
  const CleanRules rules{.least_views = 4, .least_confidence = 0.5, .most_slant_deg = 70, .most_color_apart = 40};
  const auto cleaning = cleanDense(cloud, rules, {}, {});
  ASSERT_TRUE(cleaning.ok());
  EXPECT_EQ(countOf(*cleaning, CleanReason::Views), 2U);
  EXPECT_EQ(countOf(*cleaning, CleanReason::Confidence), 1U);
  EXPECT_EQ(countOf(*cleaning, CleanReason::Slant), 1U);
  EXPECT_EQ(countOf(*cleaning, CleanReason::Color), 1U);
  EXPECT_EQ(cleaning->kept(), all - 5);
}

TEST(CleanRules, StraysGoAndTheSurfaceStays) {
  DenseCloud cloud = wall();
  const std::size_t on_wall = cloud.points.size();
  Random random(3);
  for (int k = 0; k < 200; ++k) cloud.points.push_back(pointAt(random.between(-1, 1), random.between(-1, 1), random.between(0.5, 3)));
  // A far wall, seen with larger pixels, is no stray.
  for (int i = -40; i < 40; ++i)
    for (int k = -40; k < 40; ++k) {
      DensePoint far = pointAt(0.05 * i, 0.05 * k, -8);
      far.pixel = 0.05F;
      cloud.points.push_back(far);
    }
  const auto cleaning = cleanDense(cloud, {.least_neighbours = 0.4}, {}, {});
  ASSERT_TRUE(cleaning.ok());
  std::size_t strays = 0, surface = 0;
  for (std::size_t k = 0; k < cloud.points.size(); ++k) {
    const bool stray = k >= on_wall && k < on_wall + 200;
    (stray ? strays : surface) += cleaning->reasons[k] == CleanReason::Stray;
  }
  EXPECT_GT(strays, 180U);
  EXPECT_EQ(surface, 0U);
}

TEST(CleanRules, TheRegionIsABoxInTheScene) {
  const DenseCloud cloud = wall();
  const Similarity scene{2, Eigen::Quaterniond(Eigen::AngleAxisd(0.5, Vec3::UnitX())), Vec3(1, 2, 3)};
  CleanRules rules;
  rules.region = RegionBox{scene * Vec3(-0.205, -0.205, 0) - Vec3(1e-3, 5, 5), scene * Vec3(0.205, 0.205, 0) + Vec3(1e-3, 5, 5)};
  const auto cleaning = cleanDense(cloud, rules, scene, {});
  for (std::size_t k = 0; k < cloud.points.size(); ++k)
    ASSERT_EQ(cleaning->reasons[k] == CleanReason::Kept, std::abs(cloud.points[k].at.x()) < 0.206F) << cloud.points[k].at.transpose();
}

/// Seen from z = 5, straight down on the wall, a quarter turn wide.
DenseCut squareCut(double half, double far) {
  DenseCut cut;
  cut.clip_from_scene << 1, 0, 0, 0, 0, 1, 0, 0, 0, 0, -1, 0, 0, 0, -1, 5;
  cut.outline = {{-half, -half}, {half, -half}, {half, half}, {-half, half}};
  cut.along = -Vec3::UnitZ();
  cut.near = -100, cut.far = far;
  return cut;
}

TEST(CleanRules, ABrushTakesWhatLiesUnderItsStroke) {
  const DenseCloud cloud = wall();
  DenseCut stroke = squareCut(0, 100);
  stroke.outline = {{-0.1, 0}, {0.1, 0}};  // half a unit of the wall to either side, seen from 5 before it
  stroke.brush = 0.02, stroke.aspect = 2;  // a tenth of a unit up and down; of a view twice as wide half as much beyond the ends
  CleanRules rules;
  rules.cuts = {stroke};
  const auto cleaning = cleanDense(cloud, rules, {}, {});
  for (std::size_t k = 0; k < cloud.points.size(); ++k) {
    const double x = std::abs(static_cast<double>(cloud.points[k].at.x())), y = std::abs(static_cast<double>(cloud.points[k].at.y()));
    const double beyond = std::max(0.0, 2 * (x - 0.5)), away = std::hypot(beyond, y);
    if (std::abs(away - 0.1) < 1e-3) continue;
    ASSERT_EQ(cleaning->reasons[k] == CleanReason::Cut, away < 0.1) << cloud.points[k].at.transpose();
  }
  stroke.outline.resize(1);  // a dab
  EXPECT_TRUE(stroke.covers({-0.1, 0.015}));
  EXPECT_FALSE(stroke.covers({-0.1 + 0.015, 0}));
}

TEST(CleanRules, ACutTakesWhatIsSeenInItsOutlineAsDeepAsItReaches) {
  DenseCloud cloud = wall();
  const std::size_t on_wall = cloud.points.size();
  for (int k = 0; k < 50; ++k) cloud.points.push_back(pointAt(0.001 * k, 0, -2));
  CleanRules rules;
  rules.cuts = {squareCut(0.099, 1)};  // half a unit on the wall; the points behind it lie deeper
  const auto cleaning = cleanDense(cloud, rules, {}, {});
  for (std::size_t k = 0; k < on_wall; ++k)
    ASSERT_EQ(cleaning->reasons[k] == CleanReason::Cut, cloud.points[k].at.head<2>().cwiseAbs().maxCoeff() < 0.495F) << cloud.points[k].at.transpose();
  for (std::size_t k = on_wall; k < cloud.points.size(); ++k) EXPECT_EQ(cleaning->reasons[k], CleanReason::Kept);
  rules.cuts[0].keeps = true;
  const auto inverse = cleanDense(cloud, rules, {}, {});
  for (std::size_t k = 0; k < cloud.points.size(); ++k) ASSERT_NE(inverse->reasons[k], cleaning->reasons[k]);
}

TEST(CleanRules, WhatIsOutOfRangeIsRefusedInWords) {
  EXPECT_THAT(CleanRules{.least_views = 2}.check().error().message, HasSubstr("3 to 16"));
  EXPECT_THAT(CleanRules{.most_slant_deg = 95}.check().error().message, HasSubstr("degrees"));
  CleanRules turned;
  turned.region = RegionBox{Vec3(1, 0, 0), Vec3(0, 1, 1)};
  EXPECT_FALSE(turned.check().ok());
  DenseSettings settings;
  settings.spacing = -1;
  EXPECT_THAT(settings.check().error().message, HasSubstr("spacing"));
  EXPECT_THAT(cleanedDense(wall(), {.clean = {.least_views = 9}}, {}, {}).error().message, HasSubstr("Loosen"));
}

TEST(CleanRules, SpacingIsInSceneUnits) {
  const Similarity twice{2, Eigen::Quaterniond::Identity(), Vec3::Zero()};
  EXPECT_EQ((*cleanedDense(wall(), {.spacing = 0.4}, twice, {}))->points.size(), 100U);
}

TEST(CleanRules, TheSameWithAnyNumberOfThreads) {
  DenseCloud cloud = wall();
  Random random(5);
  for (int k = 0; k < 3000; ++k) cloud.points.push_back(pointAt(random.between(-1, 1), random.between(-1, 1), random.between(0, 1)));
  const auto all = cleanDense(cloud, {.least_neighbours = 0.3}, {}, {});
  const ThreadLimit limit(1);
  EXPECT_EQ(all->reasons, cleanDense(cloud, {.least_neighbours = 0.3}, {}, {})->reasons);
}

}  // namespace dusky::testing
