// The scene moved by hand: numbers, camera height, Z up, and handles against where the pointer is.
#include <gmock/gmock.h>
#include <gtest/gtest.h>

#include <cmath>

#include "core/base/random.h"
#include "core/scene/axis_handle.h"
#include "core/scene/knowledge_members.h"
#include "core/scene/scene_handles.h"
#include "tests/support/synthetic_shot.h"

namespace dusky::testing {
using ::testing::HasSubstr;

/// A perfect solution; the truth has the ground at y = 0, metres, and cameras above it.
class SceneMoveTest : public ::testing::Test {
 protected:
  void SetUp() override {
    shot = makeSyntheticShot({.frames = 12, .points = 160});
    solution = perfectSolution(shot);
    for (const SolvedTrack& track : solution.tracks) {
      if (shot.points[static_cast<std::size_t>(track.id - 1)].y() == 0 && picks.ground.size() < 6) picks.ground.push_back(track.id);
    }
  }
  SceneFrame placed() const { return *orientScene(solution, picks, knowledge); }
  Vec3 cameraIn(const SceneFrame& scene, int frame) const { return scene.scene_from_solve * solution.frameAt(frame)->pose.centre; }
  double heightOf(int frame) const { return solution.frameAt(frame)->pose.centre.y(); }
  int frame() const { return solution.frames[3].frame; }

  SyntheticShot shot;
  Solution solution;
  SceneSettings picks;
  Knowledge knowledge;
};

TEST_F(SceneMoveTest, NumbersTurnFirstAboutZThenXThenYAndComeBackFromWhatTheyDo) {
  const Similarity turned = similarityOf({.shift = {1, 2, 3}, .turn_deg = {90, 0, 90}, .scale = 2});
  EXPECT_LT((turned * Vec3(1, 0, 0) - Vec3(1, 2, 5)).norm(), 1e-12) << "x to y by the roll, y to z by the tilt";
  Random random(3);
  for (int i = 0; i < 200; ++i) {
    const Vec3 axis = Vec3(random.normal(), random.normal(), random.normal());
    const Similarity wanted{std::exp(random.normal()), rotationFromVector(axis), Vec3(random.normal(), 5, -2)};
    const Similarity got = similarityOf(moveOf(wanted, false));
    EXPECT_LT((got * Vec3(1, 2, 3) - wanted * Vec3(1, 2, 3)).norm(), 1e-9) << i;
  }
  // A tilt of a right angle, where heading and roll are one.
  const Similarity locked = similarityOf({.turn_deg = {90, 30, 20}});
  EXPECT_LT((similarityOf(moveOf(locked, false)) * Vec3(1, 2, 3) - locked * Vec3(1, 2, 3)).norm(), 1e-6);
}

TEST_F(SceneMoveTest, ItStandsWhereTheNumbersSay) {
  const SceneFrame before = placed();
  picks.move = {.shift = {2, -1, 0.5}, .turn_deg = {0, 90, 0}, .scale = 3};
  const SceneFrame after = placed();
  for (const SolvedTrack& track : solution.tracks) {
    const Vec3 was = before.scene_from_solve * track.point;
    EXPECT_LT((after.scene_from_solve * track.point - Vec3(3 * was.z() + 2, 3 * was.y() - 1, -3 * was.x() + 0.5)).norm(), 1e-9 * (1 + was.norm()));
  }
  const SceneFrame other = movedTo(after, {.shift = {0, 1, 0}});
  EXPECT_LT((cameraIn(other, frame()) - cameraIn(before, frame()) - Vec3(0, 1, 0)).norm(), 1e-9) << "in place of the move before, not after it";
}

TEST_F(SceneMoveTest, WhatIsKnownStays) {
  const auto ids = picks.ground;
  const double metres = (shot.points[static_cast<std::size_t>(ids[0] - 1)] - shot.points[static_cast<std::size_t>(ids[1] - 1)]).norm();
  picks.move = {.shift = {0, 0.5, 0}, .scale = 2};
  const double units = cameraIn(placed(), frame()).y();
  picks.length = KnownLength{ids[0], ids[1], metres};
  const SceneFrame scaled = placed();
  EXPECT_FALSE(scaled.free.scale);
  EXPECT_EQ(scaled.moved.scale, 1);
  EXPECT_NEAR(scaled.scene_from_solve.scale, 1, 1e-9) << "the truth is in metres";
  // Half a unit of a camera 3.7 units up is now the same share of its height in metres.
  EXPECT_NEAR(scaled.moved.shift.y() / cameraIn(scaled, frame()).y(), 0.5 / units, 1e-9);
  picks.move.metres = true;
  EXPECT_EQ(placed().moved.shift.y(), 0.5) << "said in metres it stays";
  picks.move.turn_deg = {10, 20, 0};
  solution.knowledge.up = Vec3::UnitY();
  EXPECT_FALSE(placed().free.tilt);
  EXPECT_EQ(placed().moved.turn_deg, Vec3(0, 20, 0)) << "what is up is known: it turns about that alone";
  for (int k = 0; k < 4; ++k)
    knowledge.survey.push_back({.name = std::to_string(k),
                                .track = ids[static_cast<std::size_t>(k)],
                                .at = shot.points[static_cast<std::size_t>(ids[static_cast<std::size_t>(k)] - 1)]});
  knowledge.survey.push_back({.name = "high", .track = 0, .at = Vec3::Zero()});
  for (const SolvedTrack& track : solution.tracks) {
    const Vec3& truth = shot.points[static_cast<std::size_t>(track.id - 1)];
    if (truth.y() > 0.5) knowledge.survey.back().track = track.id, knowledge.survey.back().at = truth;
  }
  const SceneFrame surveyed = placed();
  ASSERT_TRUE(surveyed.surveyed);
  EXPECT_TRUE(surveyed.moved.none());
  EXPECT_LT((cameraIn(surveyed, frame()) - solution.frameAt(frame())->pose.centre).norm(), 1e-6);
}

TEST_F(SceneMoveTest, TheCamerasHeightSetsTheScaleMovedBeforeOrNot) {
  picks.height = CameraHeight{frame(), heightOf(frame())};
  const SceneFrame scene = placed();
  EXPECT_TRUE(scene.metric);
  EXPECT_NEAR(scene.scene_from_solve.scale, 1, 1e-9);
  EXPECT_FALSE(scene.free.lift);
  EXPECT_FALSE(scene.free.tilt);
  // Moved by hand before it was known: the camera stands as high over y = 0 all the same.
  for (const SceneMove& move : {SceneMove{.shift = {1, 0.4, 0}, .turn_deg = {5, 30, 0}, .scale = 2}, SceneMove{.shift = {0, -0.2, 3}, .metres = true}}) {
    picks.move = move;
    EXPECT_NEAR(cameraIn(placed(), frame()).y(), heightOf(frame()), 1e-9);
  }
  // A known distance is surer, and what the height is off is said.
  picks.move = {};
  const auto& ids = picks.ground;
  picks.length = KnownLength{ids[0], ids[1], 2 * (solution.find(ids[0])->point - solution.find(ids[1])->point).norm()};
  const auto residuals = sceneResiduals(solution, placed(), picks, {});
  ASSERT_EQ(residuals.size(), 2u);
  EXPECT_NEAR(residuals[1].share(), 1, 1e-9) << "twice as high as was said";
  picks.length.reset();
  picks.height->frame = 9999;
  EXPECT_THAT(orientScene(solution, picks).error().message, HasSubstr("frame 9999"));
  picks.height = CameraHeight{frame(), 1.5}, picks.move = {.shift = {0, 3, 0}, .metres = true};
  EXPECT_THAT(orientScene(solution, picks).error().message, HasSubstr("cannot set the scale")) << "the ground would be above the camera";
}

TEST_F(SceneMoveTest, WithZUpNumbersAreTurnedAndStayRightHanded) {
  picks.up = UpAxis::Z;
  const SceneFrame scene = placed();
  const Similarity world = scene.worldFromSolve();
  for (const SolvedTrack& track : solution.tracks) EXPECT_NEAR((world * track.point).z(), (scene.scene_from_solve * track.point).y(), 1e-9);
  EXPECT_NEAR(world.rotation.toRotationMatrix().determinant(), 1, 1e-12);
  EXPECT_LT((toUpAxis(UpAxis::Z, fromUpAxis(UpAxis::Z, Vec3(1, 2, 3))) - Vec3(1, 2, 3)).norm(), 1e-15);
  EXPECT_LT((upAxisTurn(UpAxis::Z) * Vec3(1, 2, 3) - toUpAxis(UpAxis::Z, Vec3(1, 2, 3))).norm(), 1e-12);
}

TEST(KnowledgeWithZUp, IsReadWrittenAndMeansTheSame) {
  const auto survey = surveyFromCsv("# unit: cm\n# up: z\nname,x,y,z\nA,100,200,300,1,2,3\nB,0,0,0\n");
  ASSERT_TRUE(survey.ok()) << survey.error().message;
  EXPECT_LT((survey->survey[0].point.at - Vec3(1, 3, -2)).norm(), 1e-12) << "3 m up";
  EXPECT_LT((survey->survey[0].point.sigma - Vec3(0.01, 0.03, 0.02)).norm(), 1e-12);
  EXPECT_THAT(surveyFromCsv("# up: w\nA,1,2,3\n").error().message, HasSubstr("Line 1"));
  EXPECT_TRUE(surveyFromCsv("# set-up: second day\nA,1,2,3\n").ok());
  const std::string text =
      R"({"format":"dusky-moth-knowledge","version":1,"up":"z","sets":[{"name":"floor","kind":"plane","members":[{"id":1},{"id":2},{"id":3}],
      "orientation":"given","normal":[0,0,1]}],"camera":[{"kind":"position","first":3,"xyz":[1,2,3]},{"kind":"rotation","first":3,
      "rotation":[[1,0,0],[0,0,1],[0,-1,0]]}],"camera_height":{"frame":4,"metres":1.7},"move":{"shift":[1,2,3],"turn_deg":[10,20,30],"scale":2}})";
  const auto file = knowledgeFromJson(text);
  ASSERT_TRUE(file.ok()) << file.error().message;
  EXPECT_LT((file->sets[0].set.axis - Vec3::UnitY()).norm(), 1e-12);
  EXPECT_LT((file->camera[0].at - Vec3(1, 3, -2)).norm(), 1e-12);
  EXPECT_LT((file->camera[1].rotation * Vec3::UnitZ() - Vec3(0, 0, -1)).norm(), 1e-12) << "it looks along Y where Z is up: ahead";
  EXPECT_LT((file->move->turn_deg - Vec3(10, 30, -20)).norm(), 1e-9) << "the heading is about what is up";
  const auto again = knowledgeFromJson(knowledgeToJson(*file));
  ASSERT_TRUE(again.ok());
  EXPECT_EQ(again->camera_height, file->camera_height);
  EXPECT_LT((again->move->shift - file->move->shift).norm() + (again->camera[0].at - file->camera[0].at).norm(), 1e-12);
  for (const char* bad : {R"("up":"x")", R"("move":{"scale":0})", R"("camera_height":{"frame":1,"metres":-2})", R"("move":{"shift":[1,2]})"})
    EXPECT_FALSE(knowledgeFromJson(std::string(R"({"format":"dusky-moth-knowledge","version":1,)") + bad + "}").ok()) << bad;
}

/// An eye that looks at a pivot.
class SceneHandlesTest : public ::testing::Test {
 protected:
  SceneRay rayTo(const Vec3& place) const { return {eye, (place - eye).normalized()}; }
  Vec3 eye{3, 4, 8}, pivot{0.5, 1, -0.5};
};

TEST_F(SceneHandlesTest, WhatIsHeldComesUnderThePointer) {
  for (const SceneHandle handle : {SceneHandle::MoveX, SceneHandle::MoveY, SceneHandle::MoveZ}) {
    const Vec3 from = placeOf(handle, pivot, 1), to = from + 0.7 * *axisOf(handle);
    EXPECT_LT((draggedBy(handle, pivot, rayTo(from), rayTo(to)) * from - to).norm(), 1e-9);
  }
  const Vec3 over(1.2, 0, 0.4);
  EXPECT_LT((draggedBy(SceneHandle::MoveLevel, pivot, rayTo(pivot), rayTo(pivot + over)) * pivot - pivot - over).norm(), 1e-9);
  for (const SceneHandle handle : {SceneHandle::TurnX, SceneHandle::TurnY, SceneHandle::TurnZ}) {
    const auto arc = arcOf(handle, pivot, 1);
    const Similarity turned = draggedBy(handle, pivot, rayTo(arc.front()), rayTo(arc.back()));
    EXPECT_LT((turned * arc.front() - arc.back()).norm(), 1e-9);
    EXPECT_LT((turned * pivot - pivot).norm(), 1e-9) << "about the pivot";
  }
  const Vec3 side = (eye - pivot).cross(Vec3::UnitY()).normalized();
  const Similarity larger = draggedBy(SceneHandle::Scale, pivot, rayTo(pivot + 0.5 * side), rayTo(pivot + 0.9 * side));
  EXPECT_NEAR(larger.scale, 1.8, 0.01);
  EXPECT_LT((larger * pivot - pivot).norm(), 1e-9);
}

TEST_F(SceneHandlesTest, ItGoesByStepsAndStandsStillSeenEdgeOn) {
  const Vec3 from = placeOf(SceneHandle::MoveX, pivot, 1);
  EXPECT_NEAR(draggedBy(SceneHandle::MoveX, pivot, rayTo(from), rayTo(from + Vec3(0.68, 0, 0)), 0.25).shift.x(), 0.75, 1e-12);
  const Vec3 a = pivot + Vec3(1, 0, 0), b = pivot + Vec3(std::cos(0.6), 0, -std::sin(0.6));
  const Similarity turned = draggedBy(SceneHandle::TurnY, pivot, rayTo(a), rayTo(b), 0.25);
  EXPECT_NEAR(Eigen::AngleAxisd(turned.rotation).angle(), M_PI / 6, 1e-9) << "34 degrees by steps of 15";
  const SceneRay end_on{pivot + Vec3(9, 0, 0), -Vec3::UnitX()};
  EXPECT_TRUE(draggedBy(SceneHandle::MoveX, pivot, end_on, end_on).shift.isZero());
  EXPECT_EQ(draggedBy(SceneHandle::TurnY, pivot, end_on, end_on).scale, 1);
}

TEST_F(SceneHandlesTest, OnlyWhatIsFreeIsOffered) {
  const SceneFreedom level{.shift = true, .lift = false, .tilt = false, .turn = true, .scale = false};
  std::vector<SceneHandle> offered;
  for (const SceneHandle handle : kSceneHandles) {
    if (isFree(handle, level)) offered.push_back(handle);
  }
  EXPECT_THAT(offered, ::testing::ElementsAre(SceneHandle::MoveX, SceneHandle::MoveZ, SceneHandle::MoveLevel, SceneHandle::TurnY));
}

TEST(AxisHandle, ItsTipGoesWhereItIsDraggedOnTheNearerSide) {
  const Vec3 foot(1, 2, -8), eye(0.3, 1.6, 0);
  Random random(4);
  for (int k = 0; k < 200; ++k) {
    const Vec3 wanted = Vec3(random.normal(), random.normal(), random.normal()).normalized();
    const SceneRay ray{eye, (foot + 0.7 * wanted - eye).normalized()};
    // From a little beside it: of the two sides of the sphere the one where it is.
    const Vec3 now = (wanted + 0.05 * Vec3(random.normal(), random.normal(), random.normal())).normalized();
    const Vec3 other = wanted - 2 * wanted.dot(ray.direction) * ray.direction;  // behind or before it
    if ((other - now).norm() < 1.2 * (wanted - now).norm()) continue;
    EXPECT_LT((axisDraggedTo(ray, foot, 0.7, now) - wanted).norm(), 0.05) << k;
  }
  const SceneRay beside{eye, (foot + 3 * Vec3::UnitX() - eye).normalized()};
  EXPECT_GT(axisDraggedTo(beside, foot, 0.7, Vec3::UnitY()).x(), 0.9) << "beside the sphere: towards it";
  constexpr double kStep = 5 * M_PI / 180;
  const SceneRay up{eye, (foot + 0.7 * Vec3(0.05, 1, 0).normalized() - eye).normalized()};
  const Vec3 stepped = axisDraggedTo(up, foot, 0.7, Vec3::UnitY(), kStep);
  EXPECT_NEAR(std::remainder(std::asin(stepped.y()), kStep), 0, 1e-9);
  for (const Vec3& place : circleAbout(foot, stepped, 2)) EXPECT_NEAR(stepped.dot(place - foot), 0, 1e-12);
}

}  // namespace dusky::testing
