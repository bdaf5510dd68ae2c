// What keyframes' pictures say of cameras that are known to be right, or off by a known turn.
#include "core/dense/picture_offset.h"

#include <gtest/gtest.h>

#include <algorithm>

#include "core/dense/depth_search.h"
#include "tests/support/true_depth.h"

namespace dusky::testing {
namespace {

ShotPlan plainPlan() {
  ShotPlan plan = depthPlan();
  plan.noise = 1.5;
  return plan;
}

struct Views {
  std::vector<MatchPicture> reference;
  std::vector<std::vector<MatchPicture>> others;
  InverseDepthRange range;

  explicit Views(MadeShot& shot) : reference(straightView(shot, 12)), range(trueDepth(shot, 12).range()) {
    for (const int index : {4, 8, 16, 20}) others.push_back(straightView(shot, index));
  }
  double offset_px() const {
    std::vector<const std::vector<MatchPicture>*> sizes;
    std::vector<const MatchPicture*> largest;
    for (const auto& other : others) sizes.push_back(&other), largest.push_back(&other.front());
    const DepthMap map = searchDepth(reference, sizes, range, {.noise = 1.5F}, {});
    return pictureOffset_px(reference.front(), largest, map, 1.5F);
  }
  /// The reference's camera, so that what it sees moves by so many px along both sides and by its roll.
  void turn(double by_px) {
    for (MatchPicture& size : reference) {
      const Vec3 by = by_px / reference.front().camera.fx * Vec3(1, -1, 1);
      size.camera.pose.world_from_camera = size.camera.pose.world_from_camera * rotationFromVector(by);
    }
  }
};

TEST(PictureOffset, RightCamerasAreSaidToBeRight) {
  MadeShot shot(plainPlan());
  EXPECT_LT(Views(shot).offset_px(), 0.1);
}

TEST(PictureOffset, ATurnedCameraShowsByAboutAsMuch) {
  MadeShot shot(plainPlan());
  Views views(shot);
  views.turn(0.6);
  const double off = views.offset_px();
  EXPECT_GT(off, 0.3);
  EXPECT_LT(off, 1.2);
}

TEST(PictureOffset, OneOfItsNeighboursDoesNotSpeakForAll) {
  MadeShot shot(plainPlan());
  Views views(shot);
  for (MatchPicture& size : views.others[1])
    size.camera.pose.world_from_camera = size.camera.pose.world_from_camera * rotationFromVector(Vec3(2, -2, 0) / views.reference.front().camera.fx);
  EXPECT_LT(views.offset_px(), 0.2);
}

TEST(PictureOffset, AnEvenWallTellsNothing) {
  MadeShot shot(plainPlan());
  Views views(shot);
  std::fill(views.reference.front().grey.data.begin(), views.reference.front().grey.data.end(), 90.0F);
  EXPECT_TRUE(std::isnan(views.offset_px()));
}

}  // namespace
}  // namespace dusky::testing
