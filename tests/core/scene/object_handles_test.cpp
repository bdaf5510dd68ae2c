// Test objects moved, turned and scaled by what lies under the pointer, against where that is in the scene.
#include "core/scene/object_handles.h"

#include <gtest/gtest.h>

#include <cmath>

#include "tests/support/synthetic_shot.h"

namespace dusky::testing {

class ObjectHandlesTest : public ::testing::Test {
 protected:
  void SetUp() override {
    solution = perfectSolution(makeSyntheticShot({.frames = 12, .points = 160}));
    scene = *orientScene(solution, {});
    for (const SolvedTrack& track : solution.tracks) {
      if (object.track == 0 && track.hasPlace()) object.track = track.id;
    }
    foot = scene.scene_from_solve * solution.find(object.track)->point;
  }
  SceneRay rayTo(const Vec3& place, const Vec3& from = Vec3(2, 5, 9)) const { return {from, (place - from).normalized()}; }
  TestObject dragged(ObjectHandle handle, const Vec3& from, const Vec3& to) const {
    return draggedObject(object, handle, rayTo(from), rayTo(to), solution, scene);
  }
  Vec3 footOf(const TestObject& one) const { return standOf(one, solution, scene)->foot; }

  Solution solution;
  SceneFrame scene;
  TestObject object{.id = 3, .shape = ObjectShape::Cube, .size = 0.5};
  Vec3 foot = Vec3::Zero();
};

TEST_F(ObjectHandlesTest, ItMovesToWhatIsUnderThePointerAlongItsPlane) {
  const Vec3 by(0.7, 0, -0.4);
  EXPECT_LT((footOf(dragged(ObjectHandle::Move, foot, foot + by)) - foot - by).norm(), 1e-9);
  // Held beside its foot it moves by as much.
  EXPECT_LT((footOf(dragged(ObjectHandle::Move, foot + Vec3(0.1, 0, 0.1), foot + Vec3(0.1, 0, 0.1) + by)) - foot - by).norm(), 1e-9);
  EXPECT_EQ(dragged(ObjectHandle::Move, foot, foot), object);
}

TEST_F(ObjectHandlesTest, InTheTiltedPlaneOfTracksItStaysInThatPlane) {
  std::vector<int> members;
  for (const SolvedTrack& track : solution.tracks) {
    if (track.hasPlace() && (scene.scene_from_solve * track.point).y() > 0.3 && members.size() < 3) members.push_back(track.id);
  }
  ASSERT_EQ(members.size(), 3u);
  object.plane = members, object.track = members[0];
  const auto stand = standOf(object, solution, scene);
  const Vec3 to = stand->foot + 0.6 * stand->base.col(0) - 0.2 * stand->base.col(2);
  const TestObject moved = dragged(ObjectHandle::Move, stand->foot, to);
  EXPECT_LT((footOf(moved) - to).norm(), 1e-9);
  EXPECT_NEAR(moved.along, 0.6, 1e-9);
  EXPECT_NEAR(moved.across, -0.2, 1e-9);
}

TEST_F(ObjectHandlesTest, TheTurningHandleFollowsThePointerRoundTheFoot) {
  object.turn_deg = 150;
  for (const double by_deg : {-120.0, -20.0, 35.0, 100.0}) {
    const auto before = *handlesOf(object, solution, scene);
    const Vec3 arm = before.turn - foot;
    const Vec3 to = foot + Eigen::AngleAxisd(by_deg * M_PI / 180, Vec3::UnitY()) * arm;
    const TestObject turned = dragged(ObjectHandle::Turn, before.turn, to);
    EXPECT_LT((handlesOf(turned, solution, scene)->turn - to).norm(), 1e-9);
    EXPECT_LE(std::abs(turned.turn_deg), 180) << "the shorter way round";
    EXPECT_NEAR(std::remainder(turned.turn_deg - object.turn_deg - by_deg, 360), 0, 1e-9);
  }
}

TEST_F(ObjectHandlesTest, TheScalingHandleStaysUnderThePointerAndNeverMakesNothing) {
  const auto before = *handlesOf(object, solution, scene);
  const Vec3 to = foot + 1.6 * (before.size - foot);
  const TestObject grown = dragged(ObjectHandle::Size, before.size, to);
  EXPECT_NEAR(grown.size, 0.8, 1e-9);
  EXPECT_LT((handlesOf(grown, solution, scene)->size - to).norm(), 1e-9);
  EXPECT_GT(dragged(ObjectHandle::Size, before.size, foot).size, 0);
}

TEST_F(ObjectHandlesTest, APlaneSeenEdgeOnIsMovedAlongAndNeverThrownAway) {
  const SceneRay level{foot + Vec3(0, 0, 8), -Vec3::UnitZ()}, right{foot + Vec3(0.5, 0.3, 8), -Vec3::UnitZ()};
  const TestObject moved = draggedObject(object, ObjectHandle::Move, level, right, solution, scene);
  EXPECT_LT((footOf(moved) - foot - Vec3(0.5, 0, 0)).norm(), 1e-9) << "upwards is not in its plane";
  EXPECT_EQ(draggedObject(object, ObjectHandle::Turn, level, right, solution, scene), object);
  const SceneRay sky{foot + Vec3(0, 2, 8), Vec3(0, 0.5, -1).normalized()};
  const double gone = (footOf(draggedObject(object, ObjectHandle::Move, level, sky, solution, scene)) - foot).norm();
  EXPECT_LT(gone, 10) << "where the pointer meets no ground";
}

TEST_F(ObjectHandlesTest, TheNearestObjectOnALineOfSightIsFound) {
  TestObject behind = object;
  behind.id = 4, behind.across = -1.5;
  const Vec3 middle = foot + Vec3(0, 0.2, 0);
  const Vec3 eye = middle + Vec3(0, 0.2, 6);
  EXPECT_EQ(objectAt(rayTo(middle, eye), {behind, object}, solution, scene), 3);
  EXPECT_EQ(objectAt(rayTo(footOf(behind) + Vec3(0.1, 0.2, 0), foot + Vec3(0.1, 0.2, -9)), {behind, object}, solution, scene), 4) << "from the other side";
  EXPECT_EQ(objectAt(rayTo(middle + Vec3(2, 0, 0), eye), {behind, object}, solution, scene), 0);
  EXPECT_FALSE(handlesOf({.id = 9, .track = 99999}, solution, scene));
}

}  // namespace dusky::testing
