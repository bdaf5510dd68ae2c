#include "core/mask/mask_set.h"

#include <gmock/gmock.h>
#include <gtest/gtest.h>

#include <cmath>

#include "core/mask/mask_keys.h"
#include "core/mask/preview.h"

namespace dusky::testing {
using ::testing::AllOf;
using ::testing::HasSubstr;
using Vec = Eigen::Vector2d;

int count(const Plane<std::uint8_t>& plane) {
  return static_cast<int>(std::count_if(plane.data.begin(), plane.data.end(), [](auto v) { return v != 0; }));
}

Mask ellipse(double x, double y, double a, double b) {
  return {.id = 1, .name = "actor", .shape = MaskShape::Ellipse, .keys = {{.frame = 1, .position = Vec(x, y), .points = {Vec(a, b)}}}};
}

TEST(Mask, AreasAreThoseOfTheShapes) {
  const Mask round = ellipse(100, 80, 40, 25);
  EXPECT_NEAR(count(fillLine(outlineOf(round, 1), 200, 160)), 3.14159 * 40 * 25, 25);  // a polygon of 64 corners is 0.2 % smaller
  Mask box = round;
  box.shape = MaskShape::Box;
  EXPECT_EQ(count(fillLine(outlineOf(box, 1), 200, 160)), 80 * 50);
  box.keys[0].rotation_rad = 0.5, box.keys[0].scale = 1.2;
  EXPECT_NEAR(count(fillLine(outlineOf(box, 1), 200, 160)), 1.44 * 80 * 50, 40);
  box.keys[0].position = Vec(0, 80);
  box.keys[0].rotation_rad = 0, box.keys[0].scale = 1;
  EXPECT_EQ(count(fillLine(outlineOf(box, 1), 200, 160)), 40 * 50) << "half of it lies outside the picture";
}

TEST(Mask, ACurveRunsThroughItsCorners) {
  Mask curve{.id = 2, .name = "boat", .shape = MaskShape::Curve};
  curve.keys = {{.frame = 1, .position = Vec(50, 50), .points = {Vec(-30, -20), Vec(30, -25), Vec(35, 20), Vec(-25, 30)}}};
  const auto line = outlineOf(curve, 1);
  for (const Vec& corner : curve.keys[0].points) {
    const auto on = std::any_of(line.begin(), line.end(), [&](const Vec& p) { return (p - corner - Vec(50, 50)).norm() < 1e-9; });
    EXPECT_TRUE(on) << corner.transpose();
  }
  EXPECT_EQ(line.size(), 48u);
}

TEST(Mask, FollowsItsKeysEvenlyAndStaysBeyondThem) {
  Mask mask = ellipse(10, 20, 5, 5);
  mask.keys.push_back({.frame = 11, .position = Vec(60, 40), .scale = 2, .rotation_rad = 1, .points = {Vec(15, 5)}});
  const MaskKey middle = maskAt(mask, 6);
  EXPECT_LT((middle.position - Vec(35, 30)).norm(), 1e-12);
  EXPECT_DOUBLE_EQ(middle.scale, 1.5);
  EXPECT_DOUBLE_EQ(middle.rotation_rad, 0.5);
  EXPECT_LT((middle.points[0] - Vec(10, 5)).norm(), 1e-12);
  EXPECT_EQ(maskAt(mask, -3).position, Vec(10, 20));
  EXPECT_EQ(maskAt(mask, 50).position, Vec(60, 40));
}

TEST(Mask, GrowsAndShrinksByTrueDistance) {
  const auto disc = fillLine(outlineOf(ellipse(100, 100, 30, 30), 1), 200, 200);
  for (const double px : {10.0, -10.0}) {
    const double r = 30 + px;
    EXPECT_NEAR(count(grown(disc, px)), 3.14159 * r * r, 0.04 * 3.14159 * r * r) << px;
  }
  EXPECT_EQ(count(grown(disc, -40)), 0);
  Plane<std::uint8_t> point(21, 21);
  point.at(10, 10) = 1;
  const auto five = grown(point, 5);
  for (int y = 0; y < 21; ++y) {
    for (int x = 0; x < 21; ++x) EXPECT_EQ(five.at(x, y) != 0, std::hypot(x - 10, y - 10) <= 5) << x << "," << y;
  }
}

TEST(Masks, CombineLeaveOutOnlyInsideInvertAndRange) {
  Mask out = ellipse(40, 50, 10, 10), inside = ellipse(60, 50, 30, 30);
  inside.only_inside = true;
  const auto both = leftOutByShapes({out, inside}, 1, 120, 100);
  EXPECT_TRUE(both.at(40, 50)) << "left out, though inside the other";
  EXPECT_FALSE(both.at(70, 50));
  EXPECT_TRUE(both.at(5, 5)) << "outside of what is looked at";
  out.inverted = true;
  EXPECT_FALSE(leftOutByShapes({out}, 1, 120, 100).at(40, 50));
  EXPECT_TRUE(leftOutByShapes({out}, 1, 120, 100).at(80, 50));
  out.inverted = false, out.ranges = {{5, 9}, {20, 22}};
  EXPECT_EQ(count(leftOutByShapes({out}, 4, 120, 100)), 0);
  for (const int frame : {5, 9, 20}) EXPECT_GT(count(leftOutByShapes({out}, frame, 120, 100)), 200) << frame;
  EXPECT_EQ(count(leftOutByShapes({out}, 15, 120, 100)), 0);
}

/// Mattes in memory: white at the left, numbers 10 to 14.
class Mattes final : public FrameSource {
 public:
  explicit Mattes(int width) : info_{"mattes", "made", width, 40, 24.0, 10, 14, {12}} {}
  const FootageInfo& info() const override { return info_; }
  Result<Frame> read(int number, FrameUse) override {
    Frame frame{number, {}, FloatPlane(info_.width, 40)};
    for (int y = 0; y < 40; ++y) {
      for (int x = 0; x < 20; ++x) frame.luma.at(x, y) = 200;
    }
    return frame;
  }

 private:
  FootageInfo info_;
};

const FootageInfo kFootage{"shot", "made", 64, 40, 24.0, 10, 14};

TEST(Masks, MattesGoByFrameNumberThresholdGrowthAndInversion) {
  const auto area = [](const MatteSettings& mattes) {
    auto masks = MaskSet::make({.mattes = mattes}, kFootage, {std::make_unique<Mattes>(64), nullptr}, {10, 11, 13});
    EXPECT_TRUE(masks.ok());
    return count(*(*masks)->leftOut(11));
  };
  EXPECT_EQ(area({.folder = "m"}), 20 * 40);
  EXPECT_EQ(area({.folder = "m", .threshold = 0.9}), 0);
  EXPECT_EQ(area({.folder = "m", .grow_px = 6}), 26 * 40);
  EXPECT_EQ(area({.folder = "m", .inverted = true}), 44 * 40);
}

TEST(Masks, AlphaLeavesOutWhatIsTransparent) {
  FootageInfo footage = kFootage;
  footage.has_alpha = true;
  const auto area = [&](const AlphaSettings& alpha) {
    auto masks = MaskSet::make({.alpha = alpha}, footage, {nullptr, std::make_unique<Mattes>(64)}, {10});
    EXPECT_TRUE(masks.ok());
    return count(*(*masks)->leftOut(10));
  };
  EXPECT_EQ(area({.used = true}), 44 * 40);
  EXPECT_EQ(area({.used = true, .grow_px = -4}), 40 * 40);
  EXPECT_EQ(area({.used = true, .inverted = true}), 20 * 40);
  EXPECT_EQ(area({.used = true, .threshold = 0.9}), 64 * 40);
  const auto none = MaskSet::make({.alpha = {.used = true}}, kFootage, {}, {10});
  ASSERT_FALSE(none.ok());
  EXPECT_THAT(none.error().message, HasSubstr("no alpha"));
}

TEST(Masks, SayWhatIsWrong) {
  const auto why = [](const MaskSettings& settings, int width, const std::vector<int>& frames) {
    const auto masks = MaskSet::make(settings, kFootage, {std::make_unique<Mattes>(width), nullptr}, frames);
    return masks.ok() ? std::string() : masks.error().message;
  };
  EXPECT_THAT(why({.mattes = {.folder = "m"}}, 64, {10, 11, 12}), AllOf(HasSubstr("no matte for frame 12"), HasSubstr("1 of 3")));
  EXPECT_THAT(why({.mattes = {.folder = "m"}}, 32, {10}), AllOf(HasSubstr("32×40"), HasSubstr("64×40")));
  EXPECT_THAT(why({.mattes = {.folder = "m", .threshold = 2}}, 64, {10}), HasSubstr("threshold"));
  Mask none = ellipse(1, 1, 1, 1);
  none.keys.clear();
  EXPECT_THAT(why({.shapes = {none}}, 64, {10}), HasSubstr("\"actor\" has no key"));
  Mask flat = ellipse(1, 1, 1, 1);
  flat.keys[0].scale = 0;
  EXPECT_THAT(why({.shapes = {flat}}, 64, {10}), HasSubstr("scale in frame 1"));
}

TEST(Masks, ThePreviewDimsWhatIsLeftOut) {
  const Picture grey(32, 32, Rgb{200, 200, 200});
  LeftOut half(32, 32);
  for (int y = 0; y < 32; ++y) half.at(3, y) = 1;
  const Picture shown = previewOf(grey, half);
  EXPECT_EQ(shown.at(10, 10), grey.at(10, 10));
  EXPECT_LT(shown.at(3, 10).g, 190);
}

TEST(MaskKeys, ArePutMovedAndTakenOutInOrder) {
  Mask mask = ellipse(10, 20, 5, 5);
  putKey(mask, {.frame = 21, .position = Vec(50, 20), .points = {Vec(5, 5)}});
  putKey(mask, maskAt(mask, 11));
  ASSERT_EQ(mask.keys.size(), 3u);
  EXPECT_EQ(mask.keys[1].frame, 11);
  EXPECT_LT((mask.keys[1].position - Vec(30, 20)).norm(), 1e-12) << "a new key changes nothing yet";
  EXPECT_EQ(neighbourKey(mask, 11, 1), 21);
  EXPECT_EQ(neighbourKey(mask, 11, -1), 1);
  EXPECT_FALSE(neighbourKey(mask, 21, 1));
  EXPECT_TRUE(moveKey(mask, 11, 30));
  EXPECT_EQ(mask.keys.back().frame, 30);
  EXPECT_FALSE(moveKey(mask, 11, 12));
  EXPECT_TRUE(removeKey(mask, 21));
  EXPECT_TRUE(removeKey(mask, 1));
  EXPECT_FALSE(removeKey(mask, 30)) << "the last one stays";
  putKey(mask, {.frame = 30, .position = Vec(1, 1), .points = {Vec(5, 5)}});
  EXPECT_EQ(mask.keys.size(), 1u) << "one in the same frame is replaced";
}

TEST(MaskKeys, CornersComeAndGoInEveryKey) {
  Mask curve{.shape = MaskShape::Curve};
  for (const int frame : {1, 9})
    curve.keys.push_back({.frame = frame, .position = Vec(50, 50), .scale = 2, .rotation_rad = 0.4, .points = {Vec(-30, 0), Vec(30, 0), Vec(0, 10.0 * frame)}});
  EXPECT_FALSE(removePoint(curve, 1)) << "three always stay";
  insertPoint(curve, 2);
  ASSERT_EQ(curve.keys[0].points.size(), 4u);
  EXPECT_LT((curve.keys[1].points[3] - Vec(-20.625, 50.625)).norm(), 1e-12) << "on the curve between the last corner and the first";
  EXPECT_TRUE(removePoint(curve, 3));
  EXPECT_EQ(curve.keys[1].points.size(), 3u);
  const MaskKey& key = curve.keys[0];
  EXPECT_LT((toOwn(key, toPicture(key, Vec(7, -3))) - Vec(7, -3)).norm(), 1e-12);
  EXPECT_TRUE(covers(ellipse(50, 50, 20, 10), 1, Vec(65, 50)));
  EXPECT_FALSE(covers(ellipse(50, 50, 20, 10), 1, Vec(50, 65)));
}

TEST(MaskKeys, WhatTheyMoveIsWhatIsLeftOutFrameByFrame) {
  // An actor walks through a stage that alone is tracked; the mask of the actor holds for a while only.
  Mask actor = ellipse(40, 60, 20, 30);
  putKey(actor, {.frame = 21, .position = Vec(140, 60), .points = {Vec(20, 30)}});
  actor.ranges = {{5, 15}};
  Mask stage = ellipse(100, 60, 0, 0);
  stage.id = 2, stage.shape = MaskShape::Box, stage.only_inside = true;
  stage.keys[0].points = {Vec(90, 50)};
  for (const int frame : {1, 5, 11, 15, 16}) {
    const LeftOut out = leftOutByShapes({actor, stage}, frame, 200, 120);
    const double x = 40 + 5.0 * (frame - 1);
    const bool holds = frame >= 5 && frame <= 15;
    EXPECT_EQ(out.at(static_cast<int>(x), 60) != 0, holds) << frame << ": in the actor";
    EXPECT_TRUE(out.at(4, 60)) << frame << ": off the stage";
    EXPECT_FALSE(out.at(static_cast<int>(x) < 100 ? 170 : 30, 60)) << frame << ": on the stage, beside the actor";
  }
}

TEST(MaskKeys, AKeySetWhereTheMaskLiesChangesNoFrame) {
  Mask mask = ellipse(40, 60, 20, 30);
  putKey(mask, {.frame = 31, .position = Vec(160, 90), .scale = 1.6, .rotation_rad = 0.9, .points = {Vec(25, 12)}});
  Mask keyed = mask;
  for (const int frame : {4, 17, 29}) putKey(keyed, maskAt(keyed, frame));
  for (int frame = 1; frame <= 35; frame += 2) {
    const MaskKey a = maskAt(mask, frame), b = maskAt(keyed, frame);
    EXPECT_LT((a.position - b.position).norm(), 1e-9) << frame;
    EXPECT_NEAR(a.scale, b.scale, 1e-9) << frame;
    EXPECT_NEAR(a.rotation_rad, b.rotation_rad, 1e-9) << frame;
    EXPECT_LT((a.points[0] - b.points[0]).norm(), 1e-9) << frame;
  }
}

TEST(MaskKeys, InsertedCornersStayWithTheCurve) {
  Mask curve{.id = 3, .name = "sail", .shape = MaskShape::Curve};
  curve.keys = {{.frame = 1, .position = Vec(60, 60), .points = {Vec(-30, -30), Vec(30, -30), Vec(30, 30), Vec(-30, 30)}}};
  const int before = count(fillLine(outlineOf(curve, 1), 120, 120));
  insertPoint(curve, 3);
  insertPoint(curve, 1);
  ASSERT_EQ(curve.keys[0].points.size(), 6u);
  EXPECT_NEAR(count(fillLine(outlineOf(curve, 1), 120, 120)), before, 0.03 * before) << "a new corner lies on the curve";
}
}  // namespace dusky::testing
