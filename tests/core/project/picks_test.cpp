#include "core/project/picks.h"

#include <gmock/gmock.h>
#include <gtest/gtest.h>

namespace dusky::testing {
using ::testing::ElementsAre;
using ::testing::IsEmpty;

Picks somePicks() {
  Picks picks{.key = "abc", .frame_offset = 100, .set_aside = {3, 8}, .pinned = {5}, .weights = {{3, 4}, {8, 0.5}}};
  picks.scene = {.ground = {1, 2, 8}, .origin = 8, .direction = KnownDirection{1, 2}, .length = KnownLength{2, 9, 1.85}};
  picks.objects = {{1, ObjectShape::Cube, 8, 0.5}, {2, ObjectShape::Cone, 9, 0.2}};
  return picks;
}

TEST(Picks, NameEveryTrackThatTheySpeakOf) { EXPECT_THAT(somePicks().tracks(), ElementsAre(1, 2, 3, 5, 8, 9)); }

TEST(Picks, OthersNumbersGoEverywhere) {
  const Picks moved = renumbered(somePicks(), [](int id) { return std::optional(100 - id); });
  EXPECT_THAT(moved.set_aside, ElementsAre(92, 97)) << "in order again";
  EXPECT_THAT(moved.weights, ElementsAre(TrackWeight{92, 0.5}, TrackWeight{97, 4}));
  EXPECT_THAT(moved.scene.ground, ElementsAre(92, 98, 99));
  EXPECT_EQ(moved.scene.origin, 92);
  EXPECT_EQ(moved.scene.direction, (KnownDirection{99, 98}));
  EXPECT_EQ(moved.scene.length, (KnownLength{98, 91, 1.85})) << "the metres stay";
  EXPECT_EQ(moved.objects[1].track, 91);
  EXPECT_EQ(moved.key, "abc");
  EXPECT_EQ(renumbered(moved, [](int id) { return std::optional(100 - id); }), somePicks());
}

TEST(Picks, WhatHasNoCounterpartGoesWithEverythingThatNeedsIt) {
  const Picks left = renumbered(somePicks(), [](int id) { return id == 2 || id == 8 ? std::nullopt : std::optional(id); });
  EXPECT_THAT(left.set_aside, ElementsAre(3));
  EXPECT_THAT(left.weights, ElementsAre(TrackWeight{3, 4}));
  EXPECT_THAT(left.scene.ground, ElementsAre(1));
  EXPECT_FALSE(left.scene.origin);
  EXPECT_FALSE(left.scene.direction) << "a line has two ends";
  EXPECT_FALSE(left.scene.length);
  ASSERT_EQ(left.objects.size(), 1u);
  EXPECT_EQ(left.objects[0].track, 9);
  EXPECT_THAT(renumbered(somePicks(), [](int) { return std::nullopt; }).tracks(), IsEmpty());
  Picks known;
  known.knowledge.sets = {{.name = "wall", .tracks = {1, 2, 3, 8}}, {.name = "floor", .tracks = {2, 4, 8}}};
  known.knowledge.relations = {{.a = "wall", .b = "floor"}};
  known.knowledge.distances = {{1, 4, 2.5}, {2, 4, 1}};
  known.knowledge.survey = {{"S1", 3, Vec3(1, 2, 3)}, {"S2", 2, Vec3(4, 5, 6)}};
  known.knowledge.plane_distances = {{.track = 4, .plane = "wall"}, {.track = 4, .plane = "floor"}, {.track = 2, .plane = "wall"}};
  known.knowledge.equals = {{.pairs = {{1, 3}, {3, 8}, {2, 8}}}, {.pairs = {{1, 2}, {3, 4}}}};
  known.knowledge.mirrors = {{.pairs = {{1, 3}, {2, 4}}, .plane = "wall"}, {.pairs = {{1, 3}, {2, 4}}}};
  const Picks fewer = renumbered(known, [](int id) { return id == 2 ? std::nullopt : std::optional(10 - id); });
  ASSERT_EQ(fewer.knowledge.sets.size(), 1u) << "a plane needs three";
  EXPECT_THAT(fewer.knowledge.sets[0].tracks, ElementsAre(2, 7, 9));
  EXPECT_THAT(fewer.knowledge.relations, IsEmpty());
  ASSERT_EQ(fewer.knowledge.distances.size(), 1u);
  EXPECT_EQ(fewer.knowledge.distances[0], (KnownDistance{9, 6, 2.5}));
  ASSERT_EQ(fewer.knowledge.survey.size(), 1u);
  EXPECT_EQ(fewer.knowledge.survey[0].track, 7);
  EXPECT_EQ(fewer.knowledge.plane_distances, (std::vector<KnownPlaneDistance>{{.track = 6, .plane = "wall"}}));
  EXPECT_EQ(fewer.knowledge.equals, (std::vector<KnownEqual>{{.pairs = {{9, 7}, {7, 2}}}})) << "one distance is equal to nothing";
  EXPECT_EQ(fewer.knowledge.mirrors, (std::vector<KnownMirror>{{.pairs = {{9, 7}}, .plane = "wall"}}));
}

}  // namespace dusky::testing
