// Distances from planes, equal distances and mirrored pairs: against the truth of made-up shots.
#include <gmock/gmock.h>
#include <gtest/gtest.h>

#include "core/project/result_codec.h"
#include "core/review/knowledge_words.h"
#include "core/scene/scene.h"
#include "core/solve/if_exact.h"
#include "core/solve/knowledge_stage.h"
#include "tests/support/judge_by_truth.h"
#include "tests/support/placed_points.h"

namespace dusky::testing {
using ::testing::HasSubstr;

/// Little parallax before a set some of whose tracks are put where the test wants them: from id 1 on.
struct Known {
  SyntheticShot shot;
  SolveOptions options{.lens = LensChoice::None};  // some of what is known is of holdout tracks
  SolutionPtr plain;

  explicit Known(const std::function<std::vector<Vec3>(const Vec3& middle)>& places, std::uint64_t seed = 1) {
    SyntheticPlan plan{.frames = 40, .points = 160, .noise_px = 0.3, .step = 0.05};
    plan.seed = seed;
    shot = makeSyntheticShot(plan);
    Random random(seed);
    int id = 0;
    for (const Vec3& place : places(middleOf(shot))) placePoint(shot, ++id, place, plan.noise_px, random);
    plain = *solveShot(shot.tracks, options, {});
  }
  Vec3 truth(int id) const { return shot.points[static_cast<std::size_t>(id - 1)]; }
  Result<SolutionPtr> with(const Knowledge& knowledge) const {
    return solveWithKnowledge(shot.tracks, options, plain, knowledge, orientScene(*plain, {})->scene_from_solve, {});
  }
  double slip(const Solution& solution) const { return judgeByTruth(shot, solution)->slip_rms_px; }
  static double apart(const Solution& solution, int a, int b) { return (solution.find(a)->point - solution.find(b)->point).norm(); }
};

/// Six posts at even distances across the set, from near to far.
std::vector<Vec3> posts(const Vec3& middle) {
  std::vector<Vec3> all;
  for (int i = 0; i < 6; ++i) all.push_back(Vec3(middle.x() - 1.5 + 0.5 * i, 0.3, middle.z() - 0.9 * i));
  return all;
}

Knowledge evenPosts() {
  Knowledge knowledge;
  knowledge.equals = {{.pairs = {{1, 2}, {2, 3}, {3, 4}, {4, 5}, {5, 6}}}};
  return knowledge;
}

TEST(EqualDistances, AreEqualAndTheDepthsTruer) {
  double with = 0, without = 0;
  for (const std::uint64_t seed : {1, 2, 3, 4, 5, 6}) {
    const Known shot(posts, seed);
    const auto known = shot.with(evenPosts());
    ASSERT_TRUE(known.ok()) << known.error().message;
    const double length = Known::apart(**known, 1, 2);
    for (int i = 2; i < 6; ++i) EXPECT_NEAR(Known::apart(**known, i, i + 1) / length, 1, 1e-4);
    const SolvedStatement& s = (*known)->knowledge.statements.front();
    EXPECT_LT(s.found, 1e-4);
    EXPECT_GT(s.without, 10 * s.found);
    EXPECT_LT(s.cost_sigmas, 5) << "it is true";
    with += std::pow(Known::apart(**known, 1, 6) / Known::apart(**known, 1, 2) - 5, 2);
    without += std::pow(Known::apart(*shot.plain, 1, 6) / Known::apart(*shot.plain, 1, 2) - 5, 2);
  }
  EXPECT_LT(with, without);
}

TEST(EqualDistances, ThatAreNotCost) {
  const Known shot(posts);
  Knowledge wrong = evenPosts();
  wrong.equals[0].pairs.push_back({1, 3});  // twice as long
  const auto known = shot.with(wrong);
  ASSERT_TRUE(known.ok()) << known.error().message;
  EXPECT_GT((*known)->knowledge.statements.front().cost_sigmas, 8);
  const auto read = decodeSolution(encode(**known));
  ASSERT_TRUE(read.ok());
  EXPECT_EQ(encode(**read), encode(**known));
}

/// Five pairs on either side of a slanted plane through the middle.
struct Mirror {
  Vec3 normal = Vec3(1, 0, 0.4).normalized();
  std::vector<Vec3> operator()(const Vec3& middle) const {
    std::vector<Vec3> all;
    Random random(9);
    for (int i = 0; i < 5; ++i) {
      const Vec3 a = middle + Vec3(-0.9 - 0.2 * i, random.between(-0.4, 0.6), random.between(-1, 1));
      all.push_back(a), all.push_back(a - 2 * normal.dot(a - middle) * normal);
    }
    return all;
  }
};

TEST(MirroredPairs, MirrorEachOtherInAPlaneThatIsFound) {
  double with = 0, without = 0;
  for (const std::uint64_t seed : {1, 2, 3, 4, 5, 6}) {
    const Known shot(Mirror(), seed);
    Knowledge knowledge;
    knowledge.mirrors = {{.pairs = {{1, 2}, {3, 4}, {5, 6}, {7, 8}, {9, 10}}}};
    const auto known = shot.with(knowledge);
    ASSERT_TRUE(known.ok()) << known.error().message;
    const SolvedStatement& s = (*known)->knowledge.statements.front();
    EXPECT_LT(s.found, 2e-4) << "it is exact";
    EXPECT_LT(s.cost_sigmas, 6) << "it is true";
    // All ways from one to the other are parallel.
    const auto way = [&](int id) { return Vec3(((*known)->find(id + 1)->point - (*known)->find(id)->point).normalized()); };
    for (const int id : {3, 5, 7, 9}) EXPECT_GT(std::abs(way(1).dot(way(id))), 1 - 1e-7);
    with += shot.slip(**known), without += shot.slip(*shot.plain);
  }
  EXPECT_LT(with, without);
}

TEST(PlaneDistance, ScalesTheWorldAndOneThatIsWrongCosts) {
  const auto floor_and_two = [](const Vec3& middle) {
    std::vector<Vec3> all;
    for (int i = 0; i < 8; ++i) all.push_back(Vec3(middle.x() - 1 + 0.6 * (i % 4), 0, middle.z() - 1.5 * (i / 4)));
    all.push_back(Vec3(middle.x(), 0.8, middle.z())), all.push_back(Vec3(middle.x() + 0.4, 1.2, middle.z() - 0.5));
    return all;
  };
  const Known shot(floor_and_two, 2);
  Knowledge knowledge;
  knowledge.sets = {{.name = "floor", .tracks = {1, 2, 3, 4, 5, 6, 7, 8}}};
  knowledge.plane_distances = {{.track = 9, .plane = "floor", .metres = 0.8}};
  const auto known = shot.with(knowledge);
  ASSERT_TRUE(known.ok()) << known.error().message;
  const auto scene = orientScene(**known, {});
  ASSERT_TRUE(scene.ok());
  EXPECT_NEAR(scene->scene_from_solve.scale * Known::apart(**known, 1, 8) / (shot.truth(1) - shot.truth(8)).norm(), 1, 0.02);
  EXPECT_NEAR((*known)->knowledge.statements.front().found, 0.8, 1e-4);

  knowledge.plane_distances.push_back({.track = 10, .plane = "floor", .metres = 1.6});
  const auto wrong = shot.with(knowledge);
  ASSERT_TRUE(wrong.ok()) << wrong.error().message;
  EXPECT_GT((*wrong)->knowledge.statements[1].cost_sigmas, 8);
  knowledge.plane_distances[1].plane = "roof";
  EXPECT_THAT(shot.with(knowledge).error().message, HasSubstr("there is no such plane"));
}

// What a statement would do if it were made exact, told before.

double costOfChance(const SolvedStatement& s) { return sigmasOfChance(s.cost_sigmas * s.cost_sigmas, 1); }

TEST(IfExact, TellsBeforeWhatAStatementCostsAfter) {
  const Known shot(posts);
  const double length = (shot.truth(1) - shot.truth(2)).norm();
  for (const double wrong : {1.0, 1.03, 1.08}) {
    SCOPED_TRACE(wrong);
    Knowledge knowledge;
    knowledge.distances = {{.from = 1, .to = 2, .metres = length}, {.from = 5, .to = 6, .metres = wrong * length, .on = false}};
    const auto off = shot.with(knowledge);
    ASSERT_TRUE(off.ok()) << off.error().message;
    const IfExact* told = (*off)->knowledge.ifExact("length tracks 5 – 6");
    ASSERT_TRUE(told);
    EXPECT_THAT(foundInWords((*off)->knowledge, knowledge, {StatementRef::Part::Distance, 1}, "m"), HasSubstr("made exact it would cost"));
    knowledge.distances[1].on = true;
    const auto on = shot.with(knowledge);
    ASSERT_TRUE(on.ok()) << on.error().message;
    const double came = costOfChance((*on)->knowledge.statements[1]);
    EXPECT_NEAR(told->cost_sigmas, came, 0.3 + 0.2 * came);
    EXPECT_FALSE((*on)->knowledge.ifExact("length tracks 5 – 6")) << "it is exact now";
    if (wrong == 1.0) EXPECT_LT(told->cost_sigmas, 3);
  }
}

TEST(IfExact, OfAPlaneThatIsOffTellsWhetherItIsOne) {
  const auto plane_and_more = [](const Vec3& middle) {
    std::vector<Vec3> all;
    for (int i = 0; i < 10; ++i) all.push_back(Vec3(middle.x() - 1 + 0.5 * (i % 5), 0.2 + 0.7 * (i / 5), middle.z() - 0.1 * i));
    return all;
  };
  const Known shot(plane_and_more);
  Knowledge knowledge;
  const auto told = [&](std::vector<int> tracks) {
    knowledge.sets = {{.name = "wall", .tracks = std::move(tracks), .on = false}};
    const auto solved = shot.with(knowledge);
    EXPECT_TRUE(solved.ok());
    EXPECT_EQ((*solved)->rms_px, shot.plain->rms_px) << "it is off";
    const IfExact* one = (*solved)->knowledge.ifExact("set wall");
    return one ? one->cost_sigmas : kUnknown;
  };
  EXPECT_LT(told({1, 2, 3, 4, 5}), 3) << "they lie in one plane";
  EXPECT_GT(told({1, 3, 5, 60, 71, 82, 93, 104}), 8) << "they are anywhere";
}

}  // namespace dusky::testing
