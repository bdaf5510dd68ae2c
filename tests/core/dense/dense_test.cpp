// Dense points of rendered shots with the solve that their truth is: held against the set itself.
#include "core/dense/clean.h"
#include "core/dense/dense.h"

#include <gmock/gmock.h>
#include <gtest/gtest.h>

#include "core/base/thread_limit.h"
#include "core/dense/keyframes.h"
#include "tests/support/made_delivery.h"

namespace dusky::testing {
using ::testing::HasSubstr;

ShotPlan densePlan(ShotKind kind = ShotKind::Free) {
  ShotPlan plan = planShot(kind);
  plan.width = 480, plan.height = 270, plan.frames = 24, plan.first_frame = 1001, plan.samples = 2;
  plan.lens = Lens::simple(480, 270, 420);
  plan.lens.k1() = -0.12, plan.lens.cx_px += 5;
  return plan;
}

DenseInput inputOf(const MadeDelivery& made) {
  DenseInput input{made.solution, made.input().open_footage};
  return input;
}

struct CloudErrors {
  double accurate = 0;  ///< Share of points within 1 % of the depth that a keyframe truly sees there.
  double floating = 0;  ///< Share more than 3 % before it, in the keyframe that agrees best.
};

CloudErrors errorsOf(const MadeDelivery& made, const DenseResult& dense) {
  CloudErrors errors;
  const ShotTruth& truth = made.shot().truth();
  for (const DensePoint& point : dense.cloud.points) {
    double best = 1e9;
    for (const DenseFrame& frame : dense.frames) {
      const auto i = static_cast<std::size_t>(frame.frame - made.shot().plan().first_frame);
      const Pose& pose = truth.poses[i];
      const Vec3 to = point.at.cast<double>() - pose.centre;
      if (!project(truth.lenses[i], pose, point.at.cast<double>())) continue;
      const auto met = made.shot().meet(pose.centre, to, static_cast<int>(i));
      if (!met) continue;
      const double off = to.norm() / (*met - pose.centre).norm() - 1;
      if (std::abs(off) < std::abs(best)) best = off;
    }
    errors.accurate += std::abs(best) < 0.01, errors.floating += best < -0.03;
  }
  const auto count = static_cast<double>(dense.cloud.points.size());
  return {errors.accurate / count, errors.floating / count};
}

TEST(Dense, PointsLieOnTheSetUnderALensThatBends) {
  const MadeDelivery made(densePlan());
  const auto dense = makeDense(inputOf(made), {.quality = DenseQuality::Fine}, {});
  ASSERT_TRUE(dense.ok()) << dense.error().message;
  EXPECT_GT(dense->cloud.points.size(), 100'000U);
  const CloudErrors errors = errorsOf(made, *dense);
  EXPECT_GT(errors.accurate, 0.95);
  EXPECT_LT(errors.floating, 0.015);
  for (const DenseFrame& frame : dense->frames) {
    EXPECT_GT(frame.agreeing_share, 0.4) << frame.frame;
    EXPECT_GT(frame.correlation, 0.8) << frame.frame;
  }
}

TEST(Dense, ZoomsAreTakenInFrameByFrame) {
  ShotPlan plan = densePlan();
  plan.focal_px = [](double t) { return 380 * std::pow(1.4, t); };
  const MadeDelivery made(plan);
  const auto dense = makeDense(inputOf(made), {}, {});
  ASSERT_TRUE(dense.ok()) << dense.error().message;
  EXPECT_GT(errorsOf(made, *dense).accurate, 0.9);
}

TEST(Dense, ACameraThatOnlyRotatesIsRefusedWithTheReason) {
  const MadeDelivery made(densePlan(ShotKind::Nodal));
  const auto dense = makeDense(inputOf(made), {}, {});
  ASSERT_FALSE(dense.ok());
  EXPECT_EQ(dense.error().kind, ErrorKind::InvalidInput);
  EXPECT_THAT(dense.error().message, HasSubstr("parallax"));
}

TEST(Dense, FewFramesAreRefusedInWords) {
  MadeDelivery made(densePlan());
  for (std::size_t k = 2; k < made.solution.frames.size(); ++k) made.solution.frames[k].placed = false;
  EXPECT_THAT(makeDense(inputOf(made), {}, {}).error().message, HasSubstr("at least 3 frames"));
}

TEST(Dense, ACameraThatIsOffShowsInTheShareThatAgrees) {
  MadeDelivery made(densePlan());
  const auto share = [&] {
    const auto dense = makeDense(inputOf(made), {}, {});
    double sum = 0;
    for (std::size_t k = 0; dense.ok() && k < dense->frames.size(); ++k) sum += dense->frames[k].agreeing_share / static_cast<double>(dense->frames.size());
    return sum;
  };
  const double right = share();
  for (std::size_t k = 0; k < made.solution.frames.size(); ++k) {
    Pose& pose = made.solution.frames[k].pose;
    pose.world_from_camera =
        pose.world_from_camera * rotationFromVector(Vec3(0.006 * std::sin(2.0 * static_cast<double>(k)), 0.006 * std::cos(1.7 * static_cast<double>(k)), 0));
  }
  EXPECT_LT(share(), 0.7 * right);
}

TEST(Dense, WhatIsMaskedMakesNoPoints) {
  const MadeDelivery made(densePlan());
  DenseInput input = inputOf(made);
  // All but the left half.
  input.mask = [](int) -> Result<Plane<std::uint8_t>> {
    Plane<std::uint8_t> out(480, 270);
    for (int y = 0; y < 270; ++y) std::fill(out.row(y) + 240, out.row(y) + 480, std::uint8_t{255});
    return out;
  };
  const auto dense = makeDense(input, {.quality = DenseQuality::Good}, {});
  ASSERT_TRUE(dense.ok()) << dense.error().message;
  // No point that lies on the right in every keyframe.
  const ShotTruth& truth = made.shot().truth();
  for (const DensePoint& point : dense->cloud.points) {
    double leftmost = 1e9;
    for (std::size_t i = 0; i < truth.poses.size(); ++i) {
      if (const auto seen = project(truth.lenses[i], truth.poses[i], point.at.cast<double>())) leftmost = std::min(leftmost, seen->x());
    }
    ASSERT_LT(leftmost, 246);
  }
}

TEST(Dense, TheSameOnEveryRunAndWithOneThread) {
  const MadeDelivery made(densePlan());
  const auto points = [&] { return makeDense(inputOf(made), {.quality = DenseQuality::Draft}, {})->cloud.points; };
  const auto all = points();
  const ThreadLimit limit(1);
  const auto one = points();
  ASSERT_EQ(all.size(), one.size());
  for (std::size_t k = 0; k < all.size(); ++k) ASSERT_EQ(all[k].at, one[k].at);
}

TEST(Dense, SpacingKeepsTheSurestPointOfEachCell) {
  DenseCloud cloud;
  for (int k = 0; k < 1000; ++k) {
    DensePoint point;
    point.at = Eigen::Vector3f(static_cast<float>(k) * 0.01F + 0.005F, 0.5F, -0.5F), point.confidence = k % 100 == 42 ? 0.9F : 0.3F;
    cloud.points.push_back(point);
  }
  const DenseCloud thin = thinned(cloud, 1);
  ASSERT_EQ(thin.points.size(), 10U);
  for (const DensePoint& point : thin.points) EXPECT_EQ(point.confidence, 0.9F);
}

TEST(Dense, StopsWhenAsked) {
  const MadeDelivery made(densePlan());
  std::stop_source stop;
  const Progress progress(
      [&stop](const ProgressState& state) {
        if (state.fraction > 0.3) stop.request_stop();
      },
      stop.get_token());
  EXPECT_EQ(makeDense(inputOf(made), {}, progress).error().kind, ErrorKind::Cancelled);
}

TEST(Keyframes, LieEvenlyAlongThePathAndLookFromElsewhere) {
  const MadeDelivery made(densePlan(ShotKind::Orbit));
  const auto keys = chooseKeyframes(made.solution, {});
  ASSERT_TRUE(keys.ok()) << keys.error().message;
  EXPECT_GE(keys->size(), 5U);
  for (const Keyframe& key : *keys) {
    ASSERT_GE(key.others.size(), 2U);
    EXPECT_GT(key.parallax_rad, 0.03);
    EXPECT_LT(key.parallax_rad, 0.3);
  }
  // The path turns about the set evenly.
  for (std::size_t k = 2; k < keys->size(); ++k) EXPECT_NEAR((*keys)[k].frame - (*keys)[k - 1].frame, (*keys)[1].frame - (*keys)[0].frame, 2);
}

}  // namespace dusky::testing
