// Knowledge files: what they say, and which tracks they mean.
#include "core/scene/knowledge_members.h"

#include <gmock/gmock.h>
#include <gtest/gtest.h>

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
  ASSERT_EQ(read->planes.size(), 2u);
  EXPECT_EQ(read->planes[0].plane.facing, PlaneFacing::Upright);
  EXPECT_EQ(read->planes[0].plane.sigma, 0.01);
  EXPECT_EQ(read->planes[0].members.members[2].within_px, 4);
  EXPECT_FALSE(read->planes[1].plane.on);
  EXPECT_EQ(read->planes[1].members.regions[0].polygon.size(), 3u);
  EXPECT_EQ(read->angles[1].degrees, 60) << "a plane has no sides";
  EXPECT_EQ(read->length->metres, 1.2);
  EXPECT_THAT(whyNot(R"("sets":[{"name":"rail","kind":"line","members":[]}])"), HasSubstr("\"rail\": lines are not taken yet"));
  EXPECT_THAT(whyNot(R"("survey":[{"name":"S1"}])"), HasSubstr("\"survey\" is not taken yet"));
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
  EXPECT_EQ(one->knowledge.planes[0].tracks, (std::vector<int>{3, 7, near.id}));
  const auto left = found(wall(R"({"regions":[{"frame":6,"polygon":[[0,0],[640,0],[640,720],[0,720]]}],"minus":[{"id":)" + std::to_string(near.id) + "}]}"));
  ASSERT_TRUE(left.ok());
  const auto& ids = left->knowledge.planes[0].tracks;
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
              HasSubstr("names plane \"roof\", and there is none"));
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
