// Dense views of shots taken with a rolling shutter, held against the truth.
#include "core/dense/rolling.h"

#include <gtest/gtest.h>

#include "core/dense/dense.h"
#include "core/dense/dense_view.h"
#include "tests/support/made_delivery.h"
#include "tests/support/true_depth.h"

namespace dusky::testing {
namespace {

ShotPlan rollingPlan() {
  ShotPlan plan = depthPlan();
  plan.readout = 0.6, plan.lens.k1() = -0.1;
  return plan;
}

double accurateShare(const MadeDelivery& made, const DenseResult& dense) {
  const auto i = static_cast<std::size_t>(made.shot().plan().frames / 2);
  const Pose& pose = made.shot().truth().poses[i];
  int within = 0, all = 0;
  for (const DensePoint& point : dense.cloud.points) {
    const Vec3 to = point.at.cast<double>() - pose.centre;
    if (!project(made.shot().truth().lenses[i], pose, point.at.cast<double>())) continue;
    const auto met = made.shot().meet(pose.centre, to, static_cast<int>(i));
    // What something else hides from this frame tells nothing of the point.
    if (!met || (*met - pose.centre).norm() < 0.97 * to.norm()) continue;
    ++all, within += std::abs(to.norm() / (*met - pose.centre).norm() - 1) < 0.002;
  }
  return static_cast<double>(within) / all;
}

TEST(Rolling, APlaceIsSeenAgainWhereItWasTakenFrom) {
  Pinhole camera{480, 270, 420, 420, 240, 135, {}};
  camera.pose = {Eigen::Quaterniond(Eigen::AngleAxisd(0.4, Vec3(0.2, 1, 0.1).normalized())), Vec3(1, 2, 3)};
  camera.velocity = Vec3(0.2, -0.1, 0.15), camera.time = -0.3, camera.time_x = 1e-4, camera.time_y = 0.6 / 270;
  for (const Vec2& pixel : {Vec2(3, 5), Vec2(240, 135), Vec2(470, 260)}) {
    for (const double depth : {2.0, 9.0}) {
      const auto seen = camera.seen(camera.place(pixel, depth));
      ASSERT_TRUE(seen);
      EXPECT_LT((seen->head<2>() - pixel).norm(), 1e-3);
      EXPECT_NEAR(seen->z(), depth, 1e-4);
      const auto half = camera.halved(1).seen(camera.place(pixel, depth));
      ASSERT_TRUE(half);
      EXPECT_LT((2 * half->head<2>() - pixel).norm(), 1e-3);
    }
  }
}

/// Points as the rolling footage shows them are where the undistorted, unturned picture's camera sees them.
TEST(Rolling, TheUndistortedPictureFitsItsCamera) {
  const MadeDelivery made(rollingPlan());
  const ShotPlan& plan = made.shot().plan();
  constexpr int kIndex = 12;
  const SolvedFrame& frame = made.solution.frames[kIndex];
  const Lens lens = made.solution.lensAt(frame);
  const RollingFrame rolling(made.solution, frame);
  ASSERT_TRUE(rolling.rolls());
  const Plate plate = densePlate(lens);
  const SourceMap at_once = footageFromPlate(plate, lens), map = rolling.withoutTurning(at_once, plate, lens);
  Pinhole camera{plate.width, plate.height, lens.focal_px, lens.focal_px, 0.5 * plate.width, 0.5 * plate.height, frame.pose};
  rolling.timeRows(map, camera);
  double off = 0, off_at_once = 0, off_still = 0;
  int points = 0;
  for (const Vec3& point : made.shot().truth().points) {
    // As the shutter truly reads it: the camera is where the path has it when the row is read.
    const auto posed = [&](double row) { return plan.path((kIndex + plan.readout * (row / lens.height - 0.5)) / (plan.frames - 1)); };
    auto seen = project(lens, frame.pose, point);
    for (int round = 0; round < 6 && seen; ++round) seen = project(lens, posed(seen->y()), point);
    if (!seen || seen->x() < 0 || seen->y() < 0 || seen->x() > lens.width || seen->y() > lens.height) continue;
    const auto expected = camera.seen(point);
    if (!expected) continue;
    const auto read = [](const SourceMap& from, const Vec2& pixel) {
      const auto& place = from.at(static_cast<int>(pixel.x()), static_cast<int>(pixel.y()));
      return Vec2(place[0], place[1]);
    };
    const Vec2 pixel = expected->head<2>(), middle(std::floor(pixel.x()) + 0.5, std::floor(pixel.y()) + 0.5);
    if (pixel.x() < 1 || pixel.y() < 1 || pixel.x() > plate.width - 1 || pixel.y() > plate.height - 1) continue;
    const Vec2 from = read(map, pixel), before = read(at_once, pixel);
    if (from.hasNaN() || before.hasNaN()) continue;
    ++points;
    off += (*seen - from - (pixel - middle)).norm(), off_at_once += (*seen - before - (pixel - middle)).norm();
    const auto still = rolling.still(lens, *seen);
    ASSERT_TRUE(still);
    off_still += (Vec2(camera.fx * still->x() + camera.cx, camera.fy * still->y() + camera.cy) - pixel).norm();
  }
  ASSERT_GT(points, 50);
  EXPECT_LT(off / points, 0.2);  // pixels are told to the middle of one, where the lens bends
  EXPECT_GT(off_at_once / points, 4 * off / points);
  EXPECT_LT(off_still / points, 0.1);
}

TEST(Rolling, PointsLieOnTheSetWhenTheReadoutIsKnown) {
  MadeDelivery made(rollingPlan());
  const auto sharesOf = [&] {
    const auto dense = makeDense({made.solution, made.input().open_footage}, {.quality = DenseQuality::Fine}, {});
    EXPECT_TRUE(dense.ok());
    return dense.ok() ? accurateShare(made, *dense) : 0;
  };
  const double known = sharesOf();
  made.solution.readout = 0;
  const double unknown = sharesOf();
  EXPECT_GT(known, 0.85);
  EXPECT_GT(known, unknown + 0.2);
}

}  // namespace
}  // namespace dusky::testing
