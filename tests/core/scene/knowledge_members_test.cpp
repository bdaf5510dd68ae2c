// Knowledge files: what they say, and which tracks they mean.
#include "core/scene/knowledge_members.h"

#include <gmock/gmock.h>
#include <gtest/gtest.h>

#include "core/knowledge/statements.h"
#include "tests/support/synthetic_shot.h"

namespace dusky::testing {
using ::testing::Contains;
using ::testing::HasSubstr;
using ::testing::Not;

std::string file(const std::string& body) { return R"({"format":"dusky-moth-knowledge","version":1,)" + body + "}"; }
std::string whyNot(const std::string& body) {
  const auto read = knowledgeFromJson(file(body));
  return read.ok() ? "it was taken" : read.error().message;
}

TEST(KnowledgeFiles, SayWhatTheyMeanAndAreRefusedByTheStatement) {
  const auto read = knowledgeFromJson(file(R"("sets":[
    {"name":"wall","kind":"plane","members":[{"id":3},{"name":"lamp"},{"frame":2,"at":[10,20.5],"within_px":4}],"orientation":"upright","offset":null,"sigma":0.01},
    {"name":"floor","members":{"regions":[{"frame":5,"polygon":[[0,0],[100,0],[100,50]]}],"minus":[{"id":9}]},"orientation":"level","on":false}],
    "relations":[{"kind":"square","a":"wall","b":"floor"},{"kind":"angle","a":"wall","b":"floor","value":120,"sigma":0.5}],
    "lengths":[{"from":{"id":1},"to":{"id":2},"metres":1.2}],"ground":[{"id":1},{"id":2},{"id":3}],"origin":{"id":1},"x_axis":[{"id":1},{"id":2}])"));
  ASSERT_TRUE(read.ok()) << read.error().message;
  ASSERT_EQ(read->sets.size(), 2u);
  EXPECT_EQ(read->sets[0].set.facing, SetFacing::Upright);
  EXPECT_EQ(read->sets[0].set.sigma, 0.01);
  EXPECT_EQ(read->sets[0].members.members[2].within_px, 4);
  EXPECT_FALSE(read->sets[1].set.on);
  EXPECT_EQ(read->sets[1].members.regions[0].polygon.size(), 3u);
  EXPECT_EQ(read->relations[1].value, 60) << "a plane has no sides";
  EXPECT_EQ(read->lengths[0].distance.metres, 1.2);
  EXPECT_THAT(whyNot(R"("sets":[{"name":"rail","kind":"curve","members":[]}])"), HasSubstr("\"rail\": there is no set of the kind \"curve\""));
  EXPECT_THAT(whyNot(R"("sets":[{"name":"w","orientation":"given","members":[]}])"), HasSubstr("\"w\": a given orientation needs \"normal\""));
  EXPECT_THAT(whyNot(R"("survey":[{"name":"S1"}])"), HasSubstr("\"xyz\" is missing"));
  EXPECT_THAT(whyNot(R"("survey":[{"name":"S1","xyz":[1,2],"member":{"id":1}}])"), HasSubstr("Survey point \"S1\": \"xyz\" is three numbers"));
  EXPECT_THAT(whyNot(R"("camera":[{"kind":"dancing","first":1}])"), HasSubstr("no statement \"dancing\""));
  EXPECT_THAT(whyNot(R"("camera":[{"kind":"rotation","first":1,"rotation":[[1,0,0],[0,1,0],[0,0,-1]]}])"), HasSubstr("is no rotation"));
  EXPECT_THAT(whyNot(R"("relations":[{"kind":"askew","a":"x","b":"y"}])"), HasSubstr("there is no relation \"askew\""));
  EXPECT_THAT(whyNot(R"("sets":[{"name":"w","members":[{"frame":1,"at":[1]}]}])"), HasSubstr("two numbers"));
  EXPECT_THAT(whyNot(R"("sets":[{"members":[]}])"), HasSubstr("\"name\" is missing"));
  EXPECT_FALSE(knowledgeFromJson("{}").ok());
  EXPECT_FALSE(knowledgeFromJson("[1,2").ok());
  EXPECT_THAT(knowledgeFromJson(R"({"format":"dusky-moth-knowledge","version":2})").error().message, HasSubstr("newer"));
}

class KnowledgeMembers : public ::testing::Test {
 protected:
  void SetUp() override {
    shot = makeSyntheticShot({.frames = 12, .points = 120});
    solution = perfectSolution(shot);
  }
  Result<FoundKnowledge> found(const std::string& body) const {
    const auto read = knowledgeFromJson(file(body));
    EXPECT_TRUE(read.ok()) << read.error().message;
    return findMembers(*read, shot.tracks, solution, [](int id) { return id == 7 ? std::string("lamp") : std::to_string(id); });
  }
  static std::string wall(const std::string& members) { return R"("sets":[{"name":"wall","members":)" + members + "}]"; }

  SyntheticShot shot;
  Solution solution;
};

TEST_F(KnowledgeMembers, AreFoundByIdNamePlaceAndRegion) {
  const Track& near = shot.tracks.tracks[20];
  const Observation& seen = near.observations[near.observations.size() / 2];
  const auto one = found(wall(R"([{"id":3},{"name":"lamp"},{"frame":)" + std::to_string(seen.frame) + R"(,"at":[)" + std::to_string(seen.position.x() + 1) +
                              "," + std::to_string(seen.position.y()) + "]}]"));
  ASSERT_TRUE(one.ok()) << one.error().message;
  EXPECT_EQ(one->knowledge.sets[0].tracks, (std::vector<int>{3, 7, near.id}));
  const auto left = found(wall(R"({"regions":[{"frame":6,"polygon":[[0,0],[640,0],[640,720],[0,720]]}],"minus":[{"id":)" + std::to_string(near.id) + "}]}"));
  ASSERT_TRUE(left.ok());
  const auto& ids = left->knowledge.sets[0].tracks;
  EXPECT_THAT(ids, Not(Contains(near.id)));
  for (const Track& track : shot.tracks.tracks) {
    const Observation* at = track.at(6);
    const bool inside = at && at->position.x() > 0 && at->position.x() < 640 && at->position.y() > 0 && at->position.y() < 720 && track.id != near.id;
    EXPECT_EQ(std::binary_search(ids.begin(), ids.end(), track.id), inside && solution.find(track.id)->hasPlace()) << track.id;
  }
}

TEST_F(KnowledgeMembers, ThatAreNotThereAreNamed) {
  EXPECT_THAT(found(wall(R"([{"id":4711},{"id":1},{"id":2}])")).error().message, HasSubstr("Plane \"wall\": track 4711 is not there"));
  EXPECT_THAT(found(wall(R"([{"name":"anchor"}])")).error().message, HasSubstr("there is no track \"anchor\""));
  EXPECT_THAT(found(wall(R"([{"frame":3,"at":[-500,-500]}])")).error().message, HasSubstr("no track with a place lies within 6 px of -500, -500 in frame 3"));
  EXPECT_THAT(found(wall(R"([{"id":1},{"id":2}])")).error().message, HasSubstr("has 2 tracks with a place; it needs three or more"));
  EXPECT_THAT(found(wall(R"([{"id":1},{"id":2},{"id":3}])") + R"(,"relations":[{"kind":"square","a":"wall","b":"roof"}])").error().message,
              HasSubstr("names \"roof\", and there is no such plane or line"));
}

TEST(KnowledgeFiles, WrittenAndReadSayTheSame) {
  const auto read = knowledgeFromJson(file(R"("sets":[
    {"name":"wall","members":[{"id":3},{"name":"lamp"},{"frame":2,"at":[10,20.5],"within_px":4}],"orientation":"given","normal":[0,0,1],"offset":-2,"sigma":0.01},
    {"name":"rail","kind":"line","members":{"regions":[{"frame":5,"polygon":[[0,0],[100,0],[100,50]]}],"minus":[{"id":9}]},"orientation":"level","on":false}],
    "relations":[{"kind":"square","a":"wall","b":"rail"},{"kind":"angle","a":"wall","b":"rail","value":20,"sigma":0.5},{"kind":"same","a":"wall","b":"rail"},
                 {"kind":"apart","a":"wall","b":"rail","value":2.5,"sigma":0.1}],
    "lengths":[{"from":{"id":1},"to":{"id":2},"metres":1.2,"sigma":0.02}],"survey":[{"name":"S1","member":{"id":4},"xyz":[1,2,3],"sigma":[0.1,0.2,0]}],
    "camera":[{"kind":"straight","first":1,"last":9},{"kind":"position","first":3,"xyz":[0,1.5,0]},
              {"kind":"rotation","first":3,"rotation":[[0,0,1],[0,1,0],[-1,0,0]],"sigma":0.5},{"kind":"smooth","first":1,"last":9,"sigma":0.01}],
    "ground":[{"id":1},{"id":2},{"id":3}],"origin":{"id":1},"x_axis":[{"id":1},{"id":2}])"));
  ASSERT_TRUE(read.ok()) << read.error().message;
  const std::string text = knowledgeToJson(*read);
  const auto again = knowledgeFromJson(text);
  ASSERT_TRUE(again.ok()) << again.error().message;
  EXPECT_EQ(knowledgeToJson(*again), text);
  EXPECT_EQ(again->sets[0].set, read->sets[0].set);
  EXPECT_EQ(again->relations, read->relations);
  EXPECT_EQ(again->survey[0].point, read->survey[0].point);
  EXPECT_EQ(again->sets[1].members.minus[0].id, 9);
  ASSERT_EQ(again->camera.size(), 4u);
  EXPECT_EQ(again->camera[1].last, 3);
  EXPECT_NEAR((again->camera[2].rotation * Vec3::UnitZ() - Vec3::UnitX()).norm(), 0, 1e-12);
}

const char* const kPairs = R"("sets":[{"name":"wall","members":[{"id":1},{"id":2},{"id":3}]}],
    "lengths":[{"from":{"id":4},"plane":"wall","metres":0.8,"sigma":0.01}],
    "equal":[{"pairs":[[{"id":1},{"id":2}],[{"id":3},{"id":4}]],"sigma":0.02}],
    "mirrored":[{"pairs":[[{"id":1},{"id":2}],[{"id":5},{"id":6}]]},{"pairs":[[{"id":8},{"id":9}]],"plane":"wall","on":false}])";

TEST(KnowledgeFiles, SayPairsAndDistancesFromPlanes) {
  const auto read = knowledgeFromJson(file(kPairs));
  ASSERT_TRUE(read.ok()) << read.error().message;
  const auto again = knowledgeFromJson(knowledgeToJson(*read));
  ASSERT_TRUE(again.ok()) << again.error().message;
  const auto known = knowledgeById(*again);
  ASSERT_TRUE(known.ok());
  EXPECT_TRUE(known->distances.empty());
  EXPECT_EQ(known->plane_distances, (std::vector<KnownPlaneDistance>{{.track = 4, .plane = "wall", .metres = 0.8, .sigma = 0.01}}));
  EXPECT_EQ(known->equals, (std::vector<KnownEqual>{{.pairs = {{1, 2}, {3, 4}}, .sigma = 0.02}}));
  ASSERT_EQ(known->mirrors.size(), 2u);
  EXPECT_EQ(known->mirrors[0], (KnownMirror{.pairs = {{1, 2}, {5, 6}}}));
  EXPECT_EQ(known->mirrors[1], (KnownMirror{.pairs = {{8, 9}}, .plane = "wall", .on = false}));
  EXPECT_EQ(knowledgeToJson(fileById(*known)), knowledgeToJson(*again)) << "as a project keeps it";
  EXPECT_FALSE(knowledgeFromJson(file(R"("equal":[{"pairs":[[{"id":1}]]}])")).ok());
  EXPECT_FALSE(knowledgeFromJson(file(R"("mirrored":[{"pairs":7}])")).ok());
}

TEST_F(KnowledgeMembers, PairsThatAreNoneAreRefusedWithTheReason) {
  const auto all = found(kPairs);
  ASSERT_TRUE(all.ok()) << all.error().message;
  EXPECT_EQ(all->knowledge.equals[0].pairs.size(), 2u);
  EXPECT_THAT(found(R"("equal":[{"pairs":[[{"id":1},{"id":2}]]}])").error().message, HasSubstr("need two pairs"));
  EXPECT_THAT(found(R"("equal":[{"pairs":[[{"id":1},{"id":2}],[{"id":2},{"id":1}]]}])").error().message, HasSubstr("is there twice"));
  EXPECT_THAT(found(R"("equal":[{"pairs":[[{"id":1},{"id":1}],[{"id":2},{"id":3}]]}])").error().message, HasSubstr("paired with itself"));
  EXPECT_THAT(found(R"("equal":[{"pairs":[[{"id":1},{"id":4711}],[{"id":2},{"id":3}]]}])").error().message, HasSubstr("track 4711 is not there"));
  EXPECT_THAT(found(R"("mirrored":[{"pairs":[[{"id":1},{"id":2}],[{"id":2},{"id":3}]]}])").error().message, HasSubstr("track 2 is in two of them"));
  EXPECT_THAT(found(R"("mirrored":[{"pairs":[[{"id":1},{"id":2}]],"plane":"roof"}])").error().message, HasSubstr("no such plane"));
  EXPECT_THAT(found(R"("lengths":[{"from":{"id":4},"plane":"roof","metres":1}])").error().message, HasSubstr("no such plane"));
  EXPECT_THAT(found(wall(R"([{"id":1},{"id":2},{"id":3}])") + R"(,"lengths":[{"from":{"id":4},"plane":"wall","metres":0}])").error().message,
              HasSubstr("more than 0 m"));
  EXPECT_THAT(found(wall(R"([{"id":1},{"id":2},{"id":3}])") + R"(,"relations":[{"kind":"angle","a":"wall","b":"wall2","value":2}])").error().message,
              HasSubstr("no such plane or line"));
}

TEST(KnowledgeFiles, ASurveyComesAsASpreadsheetWritesIt) {
  const auto read = surveyFromCsv("# unit: mm\nname,x,y,z,sigma\nlamp,1000,2000,-500,5\n\"door\";10;20;30\n,,\n");
  EXPECT_THAT(read.error().message, HasSubstr("Line 5"));
  const auto fine = surveyFromCsv("# unit: mm\r\nname,x,y,z,sigma\r\nlamp,1000,2000,-500,5\r\n\"door\";10;20;30\n bollard,1,2,3,4,5,6\n");
  ASSERT_TRUE(fine.ok()) << fine.error().message;
  ASSERT_EQ(fine->survey.size(), 3u);
  EXPECT_EQ(fine->survey[0].point.at, Vec3(1, 2, -0.5));
  EXPECT_EQ(fine->survey[0].point.sigma, Vec3::Constant(0.005));
  EXPECT_EQ(fine->survey[1].member.name, "door");
  EXPECT_EQ(fine->survey[2].point.sigma, Vec3(0.004, 0.005, 0.006));
  EXPECT_THAT(surveyFromCsv("S1,1,2,nan\n").error().message, HasSubstr("Line 1"));
  EXPECT_THAT(surveyFromCsv("# unit: furlong\nS1,1,2,3\n").error().message, HasSubstr("no unit \"furlong\""));
  EXPECT_THAT(surveyFromCsv("name,x,y,z\n").error().message, HasSubstr("no survey point"));
  EXPECT_FALSE(surveyFromCsv("").ok());
}

TEST(Statements, AreSaidSwitchedAndRemovedTogetherWithWhatSpeaksOfThem) {
  Knowledge k;
  k.sets = {{.name = "wall", .tracks = {1, 2, 3}, .facing = SetFacing::Upright}, {.name = "rail", .kind = SetKind::Line, .tracks = {4, 5}, .sigma = 0.02}};
  k.relations = {{.a = "wall", .b = "rail", .value = 0}, {RelationKind::Apart, "wall", "rail", 2.5, 0.1}};
  k.distances = {{1, 4, 1.85, 0.01}};
  k.survey = {{.name = "S1", .track = 3}};
  k.camera = {{.fact = CameraFact::Level, .first = 3, .last = 9, .sigma = 0.05}};
  std::vector<std::string> said;
  for (const StatementRef& ref : statementsOf(k)) said.push_back(inWords(k, ref, "m"));
  EXPECT_THAT(said, ::testing::ElementsAre("wall: upright", "rail: straight ± 0.02 m", "wall parallel to rail", "wall 2.5 m apart from rail ± 0.1 m",
                                           "tracks 1 – 4: 1.85 m ± 0.01 m", "S1: survey point, track 3", "camera level, frames 3 to 9 ± 0.05 m"));
  using Part = StatementRef::Part;
  Knowledge small = k;
  small.relations[0].value = 2;
  EXPECT_THAT(small.check().error().message, HasSubstr("cannot be told from parallel")) << "a solve would hold them parallel";
  switchStatement(k, {Part::Set, 1}, false);
  EXPECT_FALSE(isOn(k, {Part::Relation, 0})) << "a relation needs both";
  switchStatement(k, {Part::Relation, 0}, true);
  EXPECT_TRUE(isOn(k, {Part::Set, 1}));
  EXPECT_EQ(tracksOf(k, {Part::Distance, 0}), (std::vector<int>{1, 4}));
  EXPECT_EQ(freeName(k, SetKind::Plane), "plane 1");
  EXPECT_TRUE(k.saysLengths());
  removeStatement(k, {Part::Set, 0});
  EXPECT_TRUE(k.relations.empty());
  EXPECT_EQ(k.sets.size(), 1u);
}

TEST(Statements, OfPairsFollowThePlanesTheySpeakOf) {
  using Part = StatementRef::Part;
  Knowledge k;
  k.sets = {{.name = "wall", .tracks = {1, 2, 3}}, {.name = "floor", .tracks = {4, 5, 6}}};
  k.plane_distances = {{.track = 7, .plane = "wall", .metres = 0.8}, {.track = 8, .plane = "floor", .metres = 2, .sigma = 0.1}};
  k.equals = {{.pairs = {{1, 2}, {3, 4}}}};
  k.mirrors = {{.pairs = {{1, 2}, {3, 4}, {5, 6}, {7, 8}}}, {.pairs = {{9, 10}}, .plane = "wall", .sigma = 0.02}};
  std::vector<std::string> said;
  for (const StatementRef& ref : statementsOf(k)) said.push_back(inWords(k, ref, "m"));
  EXPECT_THAT(said, ::testing::ElementsAre("wall: flat", "floor: flat", "track 7 – wall: 0.8 m", "track 8 – floor: 2 m ± 0.1 m", "equal distances 1 – 2, 3 – 4",
                                           "mirrored pairs 1 – 2, 3 – 4, 5 – 6 and 1 more", "mirrored pairs 9 – 10, in wall ± 0.02 m"));
  EXPECT_EQ(tracksOf(k, {Part::Equal, 0}), (std::vector<int>{1, 2, 3, 4}));
  EXPECT_TRUE(isExact(k, {Part::Mirror, 0}) && !isExact(k, {Part::Mirror, 1}));
  renameSet(k, 0, "quay wall");
  EXPECT_EQ(k.plane_distances[0].plane, "quay wall");
  EXPECT_EQ(k.mirrors[1].plane, "quay wall");
  switchStatement(k, {Part::Set, 0}, false);
  EXPECT_FALSE(isOn(k, {Part::PlaneDistance, 0}) || isOn(k, {Part::Mirror, 1}));
  EXPECT_TRUE(isOn(k, {Part::PlaneDistance, 1}) && isOn(k, {Part::Mirror, 0}));
  const Knowledge exact = withExact(k, {Part::Mirror, 1});
  EXPECT_TRUE(isOn(exact, {Part::Set, 0}) && isOn(exact, {Part::Mirror, 1}) && isExact(exact, {Part::Mirror, 1}));
  EXPECT_NE(keyOf(k, {Part::PlaneDistance, 0}), keyOf(k, {Part::PlaneDistance, 1}));
  removeStatement(k, {Part::Set, 0});
  EXPECT_EQ(k.plane_distances.size(), 1u);
  EXPECT_EQ(k.mirrors.size(), 1u);
}

TEST_F(KnowledgeMembers, SurveyPointsAndSeveralLengthsShapeTheSolve) {
  const auto all = found(R"("survey":[{"name":"S1","member":{"id":4},"xyz":[1,2,3]}],
    "lengths":[{"from":{"id":2},"to":{"id":3},"metres":2},{"from":{"id":4},"to":{"name":"lamp"},"metres":3,"sigma":0.1}])");
  ASSERT_TRUE(all.ok()) << all.error().message;
  EXPECT_EQ(all->knowledge.survey[0].track, 4);
  ASSERT_EQ(all->knowledge.distances.size(), 2u);
  EXPECT_EQ(all->knowledge.distances[1].to, 7);
  EXPECT_FALSE(all->scene.length);
  EXPECT_THAT(found(R"("survey":[{"name":"S1","member":{"id":4},"xyz":[1,2,3]},{"name":"S1","member":{"id":5},"xyz":[1,2,3]}])").error().message,
              HasSubstr("Two survey points are called \"S1\""));
  EXPECT_THAT(found(R"("survey":[{"name":"S1","member":{"id":4},"xyz":[1,2,3]},{"name":"S2","member":{"id":4},"xyz":[1,2,3]}])").error().message,
              HasSubstr("Track 4 is two survey points"));
  EXPECT_THAT(found(R"("camera":[{"kind":"smooth","first":1,"last":9}])").error().message, HasSubstr("A smooth camera needs a \"sigma\""));
  EXPECT_THAT(found(R"("lengths":[{"from":{"id":2},"to":{"id":2},"metres":2},{"from":{"id":1},"to":{"id":2},"metres":2}])").error().message,
              HasSubstr("to itself"));
}

TEST_F(KnowledgeMembers, WhatPlacesTheWorldBecomesPicksOfTheScene) {
  const auto all =
      found(R"("ground":[{"id":1},{"id":2},{"id":3}],"origin":{"id":1},"x_axis":[{"id":1},{"id":2}],"lengths":[{"from":{"id":2},"to":{"id":3},"metres":2}])");
  ASSERT_TRUE(all.ok()) << all.error().message;
  EXPECT_EQ(all->scene.ground, (std::vector<int>{1, 2, 3}));
  EXPECT_EQ(all->scene.origin, 1);
  EXPECT_EQ(all->scene.direction, (KnownDirection{1, 2}));
  EXPECT_EQ(all->scene.length, (KnownLength{2, 3, 2}));
  EXPECT_FALSE(all->knowledge.says());
}

}  // namespace dusky::testing
