#include "core/scene/scene.h"

#include <gmock/gmock.h>
#include <gtest/gtest.h>

#include <cmath>

#include "core/base/random.h"
#include "core/scene/set_outline.h"
#include "core/scene/test_object.h"
#include "tests/support/synthetic_shot.h"

namespace dusky::testing {
using ::testing::HasSubstr;

/// A perfect solution in a world that is turned, scaled and moved, as a solve leaves it; the truth has the ground at y = 0 and metres.
class SceneTest : public ::testing::Test {
 protected:
  void SetUp() override {
    shot = makeSyntheticShot({.frames = 16, .points = 200});
    solution = perfectSolution(shot);
    const Similarity away{0.37, rotationFromVector(Vec3(0.3, -0.2, 0.15)), Vec3(4, -2, 7)};
    for (SolvedFrame& frame : solution.frames) frame.pose = away * frame.pose;
    for (SolvedTrack& track : solution.tracks) track.point = away * track.point;
  }
  Vec3 sceneOf(int id, const SceneFrame& scene) const { return scene.scene_from_solve * solution.find(id)->point; }
  Vec3 truthOf(int id) const { return shot.points[id - 1]; }
  /// Ids of placed tracks on the ground, and above it.
  std::vector<int> onGround(int count) const { return pick(true, count); }
  std::vector<int> above(int count) const { return pick(false, count); }

  SyntheticShot shot;
  Solution solution;

 private:
  std::vector<int> pick(bool ground, int count) const {
    std::vector<int> ids;
    for (const SolvedTrack& t : solution.tracks) {
      if ((truthOf(t.id).y() == 0) == ground && static_cast<int>(ids.size()) < count) ids.push_back(t.id);
    }
    return ids;
  }
};

TEST_F(SceneTest, PickedGroundOriginDirectionAndLengthGiveBackTheTruth) {
  const auto ground = onGround(5);
  SceneSettings picks{.ground = ground,
                      .origin = ground[0],
                      .direction = KnownDirection{ground[1], ground[2]},
                      .length = KnownLength{ground[3], ground[4], (truthOf(ground[3]) - truthOf(ground[4])).norm()}};
  const auto scene = orientScene(solution, picks);
  ASSERT_TRUE(scene.ok()) << scene.error().message;
  EXPECT_TRUE(scene->metric);
  EXPECT_NEAR(scene->ground_rms, 0, 1e-9);
  EXPECT_LT(sceneOf(ground[0], *scene).norm(), 1e-9);
  const Vec3 along = sceneOf(ground[2], *scene) - sceneOf(ground[1], *scene);
  EXPECT_GT(along.x(), 0);
  EXPECT_NEAR(along.z(), 0, 1e-9);
  for (int id : above(20)) EXPECT_NEAR(sceneOf(id, *scene).y(), truthOf(id).y(), 1e-9) << "heights are metres above the ground";
  for (const SolvedFrame& frame : solution.frames) EXPECT_GT((scene->scene_from_solve * frame.pose.centre).y(), 1) << "cameras are above it";
}

TEST_F(SceneTest, UnpickedItGuessesTheGroundUnderTheCamera) {
  const auto scene = orientScene(solution, {});
  ASSERT_TRUE(scene.ok());
  EXPECT_TRUE(scene->ground_found);
  EXPECT_FALSE(scene->metric);
  EXPECT_TRUE(std::isnan(scene->ground_rms));
  for (int id : onGround(30)) EXPECT_NEAR(sceneOf(id, *scene).y(), 0, 0.02);
  const Pose middle = scene->scene_from_solve * solution.frames[8].pose;
  EXPECT_NEAR(middle.centre.y(), 1.6, 0.05);
  EXPECT_GT(-middle.direction(Vec3::UnitY()).y(), 0.9) << "the camera stands upright";
}

TEST_F(SceneTest, WithoutAPlaneItSaysSo) {
  for (SolvedTrack& track : solution.tracks) {
    if (truthOf(track.id).y() == 0) track.state = TrackState::SetAside;
  }
  const auto scene = orientScene(solution, {});
  ASSERT_TRUE(scene.ok());
  EXPECT_FALSE(scene->ground_found);
}

TEST_F(SceneTest, PicksThatCannotBeUsedAreNamed) {
  const auto why = [&](const SceneSettings& picks) {
    const auto scene = orientScene(solution, picks);
    return scene.ok() ? std::string() : scene.error().message;
  };
  solution.tracks[0].state = TrackState::Unplaced;
  const int gone = solution.tracks[0].id, a = solution.tracks[1].id;
  EXPECT_THAT(why({.origin = gone}), HasSubstr("Track " + std::to_string(gone) + " is picked as origin"));
  EXPECT_THAT(why({.ground = {a, solution.tracks[2].id}}), HasSubstr("three or more"));
  EXPECT_THAT(why({.ground = {a, a, a}}), HasSubstr("one line"));
  EXPECT_THAT(why({.length = KnownLength{a, a, 2}}), HasSubstr("two different tracks"));
  EXPECT_THAT(why({.length = KnownLength{a, solution.tracks[2].id, 0}}), HasSubstr("more than 0 m"));
  EXPECT_THAT(why({.origin = 99999}), HasSubstr("99999"));
}

TEST_F(SceneTest, NothingSolvedNoScene) {
  for (SolvedFrame& frame : solution.frames) frame.placed = false;
  EXPECT_FALSE(orientScene(solution, {}).ok());
}

TEST_F(SceneTest, ASolidStandsOnItsTrackAndIsClosed) {
  const auto scene = orientScene(solution, {.ground = onGround(6)});
  const int id = onGround(1)[0];
  for (ObjectShape shape : {ObjectShape::Cone, ObjectShape::Cube}) {
    const auto faces = solidOf({.id = 1, .shape = shape, .track = id, .size = 0.8}, solution, *scene);
    ASSERT_FALSE(faces.empty());
    double low = 1e9, high = -1e9;
    Vec3 middle = Vec3::Zero(), area = Vec3::Zero();
    for (const SolidFace& face : faces) {
      for (const Vec3& c : face.corners) low = std::min(low, c.y()), high = std::max(high, c.y()), middle += c / (3.0 * static_cast<double>(faces.size()));
      area += (face.corners[1] - face.corners[0]).cross(face.corners[2] - face.corners[0]);
      EXPECT_NEAR(face.normal.norm(), 1, 1e-12);
    }
    EXPECT_NEAR(low, sceneOf(id, *scene).y(), 1e-9);
    EXPECT_NEAR(high - low, 0.8, 1e-9);
    EXPECT_LT(area.norm(), 1e-9) << "the surface closes: its area vectors sum to zero";
    for (const SolidFace& face : faces) EXPECT_GT(face.normal.dot(face.corners[0] - middle), 0) << "normals point outwards";
  }
  EXPECT_TRUE(solidOf({.id = 1, .track = 99999}, solution, *scene).empty());
}

TEST_F(SceneTest, AShadowLiesOnTheLevelThatItsObjectStandsOnAwayFromTheLight) {
  const SceneFrame scene = *orientScene(solution, {});
  const TestObject cone{.id = 1, .shape = ObjectShape::Cone, .track = onGround(1)[0], .size = 0.5};
  const std::vector<Vec3> outline = shadowOf(cone, solution, scene);
  ASSERT_GE(outline.size(), 8u);
  const Vec3 foot = sceneOf(cone.track, scene);
  double farthest = 0;
  Vec3 tip = foot;
  for (std::size_t k = 0; k < outline.size(); ++k) {
    EXPECT_NEAR(outline[k].y(), foot.y(), 1e-9);
    const Vec3 side = outline[(k + 1) % outline.size()] - outline[k], next = outline[(k + 2) % outline.size()] - outline[(k + 1) % outline.size()];
    EXPECT_GT(side.x() * next.z() - side.z() * next.x(), -1e-12) << "convex, one way round";
    if ((outline[k] - foot).norm() > farthest) farthest = (outline[k] - foot).norm(), tip = outline[k];
  }
  // What the tip throws: where faces are lightest is where the light comes from.
  const Vec3 away = (tip - foot).normalized();
  EXPECT_LT(lightOn(away), lightOn(-away));
  EXPECT_GT(farthest, 0.2 * cone.size);
  EXPECT_TRUE(shadowOf({.id = 2, .track = 99999}, solution, scene).empty());
}

TEST_F(SceneTest, AFloorLiesInThePlaneOfItsTracksTowardsTheCameraAndTurnsInIt) {
  const SceneFrame scene = *orientScene(solution, {});
  const std::vector<int> members = above(6);
  TestObject floor{.id = 1, .shape = ObjectShape::Floor, .track = members[0], .size = 0.8, .plane = members};
  std::vector<Vec3> places;
  for (const int id : members) places.push_back(sceneOf(id, scene));
  const PlaneFit plane = *fitPlane(places);
  const auto flat = solidOf(floor, solution, scene);
  ASSERT_EQ(flat.size(), 128u);
  double seen = 0;
  for (const SolvedFrame& frame : solution.frames) seen += flat[0].normal.dot(scene.scene_from_solve * frame.pose.centre - places[0]);
  EXPECT_GT(seen, 0) << "its upper side is seen";
  for (const SolidFace& face : flat) {
    EXPECT_NEAR(std::abs(face.normal.dot(plane.normal)), 1, 1e-9);
    for (const Vec3& corner : face.corners) EXPECT_NEAR(face.normal.dot(corner - places[0]), 0, 1e-9) << "at the height of its track";
  }
  floor.turn_deg = 90;
  const auto turned = solidOf(floor, solution, scene);
  EXPECT_LT((turned[0].normal - flat[0].normal).norm(), 1e-9);
  EXPECT_NEAR((turned[0].corners[0] - places[0]).dot(flat[0].corners[0] - places[0]), 0, 1e-9) << "a quarter turn about its track";
  floor.plane = {members[0], members[1]};
  EXPECT_LT((solidOf(floor, solution, scene)[0].normal - Vec3::UnitY()).norm(), 1e-9) << "two make no plane: level";
}

TEST_F(SceneTest, AFigureIsAsTallAsItIsSaidToBeAndWholeAllRound) {
  const SceneFrame scene = *orientScene(solution, {});
  const TestObject figure{.id = 1, .shape = ObjectShape::Figure, .track = onGround(1)[0], .size = 1.8};
  const Vec3 foot = sceneOf(figure.track, scene);
  double low = 1e9, high = -1e9, volume = 0;
  for (const SolidFace& face : solidOf(figure, solution, scene)) {
    for (const Vec3& corner : face.corners) low = std::min(low, corner.y() - foot.y()), high = std::max(high, corner.y() - foot.y());
    volume += face.corners[0].dot(face.corners[1].cross(face.corners[2])) / 6;
    EXPECT_GT(face.normal.norm(), 0.99);
  }
  EXPECT_NEAR(low, 0, 0.01);
  EXPECT_NEAR(high, 1.8, 0.01);
  // By the divergence theorem: faces look outwards, and nothing is missing. A person has about 70 l.
  EXPECT_NEAR(volume, 0.07, 0.03);
}

TEST_F(SceneTest, SizesAndGridsAreRoundNumbers) {
  const auto scene = orientScene(solution, {});
  for (double value : {usualSize(solution, *scene, onGround(1)[0]), gridSpacing(solution, *scene)}) {
    const double digit = value / std::pow(10, std::floor(std::log10(value) + 1e-9));
    EXPECT_TRUE(std::abs(digit - 1) < 1e-6 || std::abs(digit - 2) < 1e-6 || std::abs(digit - 5) < 1e-6) << value;
  }
  const auto lines = groundGrid(0.5, 3);
  EXPECT_EQ(lines.size(), 14u);
  for (const auto& [from, to] : lines) {
    EXPECT_EQ(from.y(), 0);
    EXPECT_NEAR((to - from).norm(), 3.0, 1e-12);
  }
}

TEST_F(SceneTest, AGroundPointThatDoesNotBelongIsNamedAndHasNoPart) {
  auto ground = onGround(9);
  const int stranger = above(1)[0];
  ground.push_back(stranger);
  const auto scene = orientScene(solution, {.ground = ground});
  ASSERT_TRUE(scene.ok());
  EXPECT_THAT(scene->ground_outliers, ::testing::ElementsAre(stranger));
  EXPECT_NEAR(scene->ground_rms, 0, 1e-6);
  for (const int id : onGround(9)) EXPECT_NEAR(sceneOf(id, *scene).y(), 0, 1e-6);
}

TEST_F(SceneTest, SeveralLengthsGiveTheScaleTogetherAndASurveyPlacesIt) {
  const auto ids = above(8);
  const auto length = [&](int a, int b) { return (truthOf(ids[a]) - truthOf(ids[b])).norm(); };
  Knowledge knowledge;
  knowledge.distances = {{ids[0], ids[1], length(0, 1), 0.001}, {ids[2], ids[3], 1.1 * length(2, 3), 0.2 * length(2, 3)}};
  const auto scaled = orientScene(solution, {}, knowledge);
  ASSERT_TRUE(scaled.ok());
  EXPECT_TRUE(scaled->metric);
  const auto residuals = sceneResiduals(solution, *scaled, {}, knowledge);
  ASSERT_EQ(residuals.size(), 2u);
  EXPECT_LT(std::abs(residuals[0].share()), 0.001) << "the surer one counts";
  EXPECT_NEAR(residuals[1].share(), 1 / 1.1 - 1, 0.001);
  for (int k = 0; k < 5; ++k) knowledge.survey.push_back({.name = std::to_string(k), .track = ids[k], .at = truthOf(ids[k]) + Vec3(100, 5, 0)});
  knowledge.survey[3].at.x() += 4;
  const auto placed = orientScene(solution, {}, knowledge);
  ASSERT_TRUE(placed.ok());
  EXPECT_TRUE(placed->surveyed);
  EXPECT_LT((sceneOf(ids[6], *placed) - truthOf(ids[6]) - Vec3(100, 5, 0)).norm(), 1e-6) << "in spite of one that is wrong";
  const auto off = sceneResiduals(solution, *placed, {}, knowledge);
  EXPECT_NEAR(off[5].found, 4, 1e-6);
}

/// Cameras that look down all the time, in a room with an uneven floor.
TEST(GuessedUp, IsLevelWhereWallsAndTheWayTheCameraIsHeldSaySo) {
  Random random(4);
  SyntheticPlan plan{.frames = 30, .points = 300, .noise_px = 0};
  plan.path = [](int i) {
    const Eigen::Quaterniond level(0, 1, 0, 0);
    return Pose{rotationFromVector(Vec3(0, 0.01 * i, 0)) * level * rotationFromVector(Vec3(-0.35, 0, 0)), Vec3(0.05 * i, 1.6, 0.5)};
  };
  plan.set = [&random](const Vec3& from, const Vec3& ray) -> std::optional<Vec3> {
    const double floor = ray.y() < -1e-3 ? -from.y() / ray.y() : 99, rear = ray.z() < -1e-3 ? (-6 - from.z()) / ray.z() : 99,
                 side = ray.x() > 1e-3 ? (4 - from.x()) / ray.x() : 99, nearest = std::min({floor, rear, side});
    if (nearest > 20) return std::nullopt;
    const Vec3 at = from + nearest * ray;
    return nearest == floor ? Vec3(at + Vec3(0, 0.15 * random.normal(), 0)) : at;
  };
  const Solution solution = perfectSolution(makeSyntheticShot(plan));
  const auto scene = orientScene(solution, {});
  ASSERT_TRUE(scene.ok());
  const double off = std::acos(std::min(1.0, (scene->scene_from_solve.rotation * Vec3::UnitY()).y()));
  EXPECT_LT(off * 180 / M_PI, 1.5) << "their mean up is 20 degrees off";
  EXPECT_GT(scene->sigma_up_rad, 0);
  EXPECT_LT(scene->sigma_up_rad * 180 / M_PI, 3);
  Solution known = solution;
  known.knowledge.up = Vec3(0.1, -1, 0).normalized();
  EXPECT_NEAR((orientScene(known, {})->scene_from_solve.rotation * Vec3(-0.1, 1, 0).normalized()).y(), 1, 1e-9) << "what is known is better than a guess";
}

TEST_F(SceneTest, APlaneThatPairsMirrorInIsDrawnBetweenThem) {
  const Vec3 normal = Vec3(1, 0.2, -0.3).normalized();
  SetPlane plane{.normal = normal, .offset = 0.7};
  const auto tracks = onGround(6);
  for (std::size_t k = 0; k + 1 < tracks.size(); k += 2) {
    const Vec3 one = solution.find(tracks[k])->point;
    auto& other = *std::find_if(solution.tracks.begin(), solution.tracks.end(), [&](const SolvedTrack& t) { return t.id == tracks[k + 1]; });
    other.point = one - 2 * (normal.dot(one) - plane.offset) * normal;
    solution.knowledge.beliefs.mirrored.push_back({.a = tracks[k], .b = 0, .plane = 0, .weight = 1, .statement = 0, .from_point = true});
  }
  solution.knowledge.beliefs.shapes = {plane};
  solution.knowledge.statements = {{.kind = StatementKind::Mirror, .name = "pairs", .tracks = tracks}};
  const SceneFrame scene = *orientScene(solution, {});
  const auto outlines = setOutlines(solution, scene);
  ASSERT_EQ(outlines.size(), 1u);
  EXPECT_EQ(outlines[0].name, "mirror of 3 pairs");
  const Similarity back = scene.scene_from_solve.inverse();
  for (const auto& [from, to] : outlines[0].lines) {
    EXPECT_NEAR(normal.dot(back * from), plane.offset, 1e-6);
    EXPECT_NEAR(normal.dot(back * to), plane.offset, 1e-6);
    EXPECT_GT((to - from).norm(), 0.01) << "wide enough to be seen";
  }
  solution.knowledge.statements[0].a = "quay";
  EXPECT_TRUE(setOutlines(solution, scene).empty()) << "a set's own plane is drawn as that set";
}

TEST_F(SceneTest, PlanesAndLinesAreDrawnAboutTheirTracks) {
  const auto ground = onGround(12);
  SolvedSet floor{.name = "floor", .tracks = ground}, rail{.name = "rail", .kind = SetKind::Line, .tracks = {ground[0], ground[1]}};
  const Vec3 a = solution.find(ground[0])->point, b = solution.find(ground[1])->point;
  const PlaneFit fit = *fitPlane([&] {
    std::vector<Vec3> places;
    for (const int id : ground) places.push_back(solution.find(id)->point);
    return places;
  }());
  floor.axis = fit.normal, floor.offset = fit.offset, floor.through = a;
  rail.axis = (b - a).normalized(), rail.through = a;
  solution.knowledge.sets = {floor, rail};
  const SceneFrame scene = *orientScene(solution, {.ground = ground});
  const auto outlines = setOutlines(solution, scene);
  ASSERT_EQ(outlines.size(), 2u);
  for (const auto& [from, to] : outlines[0].lines) EXPECT_NEAR(std::abs(from.y()) + std::abs(to.y()), 0, 1e-6) << "it lies on the ground";
  ASSERT_EQ(outlines[1].lines.size(), 1u);
  const auto& [from, to] = outlines[1].lines[0];
  EXPECT_NEAR((to - from).norm(), 1.24 * (sceneOf(ground[0], scene) - sceneOf(ground[1], scene)).norm(), 1e-6);
}

}  // namespace dusky::testing
