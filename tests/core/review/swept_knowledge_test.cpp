// Values of what is known of a set, swept: against the truth of two walls.
#include <gmock/gmock.h>
#include <gtest/gtest.h>

#include "core/knowledge/known_scalars.h"
#include "core/review/sweep.h"
#include "core/review/swept_knowledge.h"
#include "core/solve/knowledge_stage.h"
#include "tests/support/synthetic_shot.h"

namespace dusky::testing {
using ::testing::HasSubstr;

/// Two walls that stand at 70 degrees, and the floor.
struct Walls {
  static constexpr double kAngle_deg = 70;
  SyntheticShot shot;
  SolveOptions options{.lens = LensChoice::None};
  SolutionPtr known;
  std::array<std::vector<int>, 2> on;
  Knowledge asked;

  explicit Walls(double angle_deg = kAngle_deg) {
    const Vec3 rear = Vec3::UnitZ(), side = Eigen::AngleAxisd(angle_deg * M_PI / 180, Vec3::UnitY()) * rear;
    SyntheticPlan plan{.frames = 40, .points = 200, .noise_px = 0.3, .step = 0.06};
    plan.set = [&](const Vec3& from, const Vec3& ray) -> std::optional<Vec3> {
      std::optional<double> nearest;
      for (const auto& [normal, offset] : {std::pair(rear, -8.0), {side, side.dot(Vec3(-2.5, 0, -8))}}) {
        const double towards = normal.dot(ray), depth = towards < -1e-6 ? (offset - normal.dot(from)) / towards : -1;
        if (depth > 0.5 && (!nearest || depth < *nearest)) nearest = depth;
      }
      return nearest && *nearest < 14 ? std::optional(Vec3(from + *nearest * ray)) : std::nullopt;
    };
    shot = makeSyntheticShot(plan);
    for (const Track& track : shot.tracks.tracks) on[std::abs(rear.dot(shot.points[static_cast<std::size_t>(track.id - 1)]) + 8) > 1e-6].push_back(track.id);
    const SolutionPtr plain = *solveShot(shot.tracks, options, {});
    asked.sets = {{.name = "rear", .tracks = on[0]}, {.name = "side", .tracks = on[1]}};
    known = *solveWithKnowledge(shot.tracks, options, plain, asked, Similarity(), {});
  }
  Result<SweepResult> swept(const SweepOptions& over) const { return sweep(shot.tracks, options, *known, over, {}); }
  Result<SweepResult> swept(const std::string& parameter, double from, double to) const {
    SweepOptions over;
    over.first.parameter = parameter, over.first.from = from, over.first.to = to;
    return swept(over);
  }
};

TEST(SweptKnowledge, TheAngleOfTwoWallsHasAClearValleyWhereItIs) {
  const Walls walls;
  const std::string angle = angleScalar("rear", "side");
  const auto result = walls.swept(angle, 55, 85);
  ASSERT_TRUE(result.ok()) << result.error().message;
  EXPECT_EQ(result->verdict, SweepVerdict::Clear) << result->sentence;
  EXPECT_THAT(result->sentence, HasSubstr("°"));
  const auto& sets = walls.known->knowledge.sets;
  const double sigma = std::hypot(sets[0].sigma_axis_rad, sets[1].sigma_axis_rad) * 180 / M_PI;
  EXPECT_NEAR(result->best, Walls::kAngle_deg, 4 * result->sigma + 0.05);
  EXPECT_GT(result->sigma, 0.3 * sigma) << "as the covariance has it";
  EXPECT_LT(result->sigma, 3 * sigma);
  // Together with the lens: the lowest place is where both are.
  const double focal_px = walls.known->lens().focal_px;
  SweepOptions both;
  both.first.parameter = angle, both.first.from = 60, both.first.to = 80, both.first.points = 5;
  SweepAxis& focal = both.second.emplace();
  focal.parameter = "focal_px", focal.from = 0.9 * focal_px, focal.to = 1.1 * focal_px, focal.points = 5;
  const auto map = walls.swept(both);
  ASSERT_TRUE(map.ok()) << map.error().message;
  EXPECT_EQ(map->points.size(), 25u);
  EXPECT_NEAR(map->best, Walls::kAngle_deg, 1e-6);
}

TEST(SweptKnowledge, WallsThatAreSquareHaveTheirValleyAtTheEndThatIsNone) {
  const Walls walls(90);
  const auto result = walls.swept(angleScalar("rear", "side"), 80, 90);
  ASSERT_TRUE(result.ok()) << result.error().message;
  EXPECT_EQ(result->verdict, SweepVerdict::Clear) << result->sentence;
  EXPECT_LE(result->best, 90);
  EXPECT_NEAR(result->best, 90, 4 * result->sigma + 0.05);
  EXPECT_LE(result->points.back().value, 90);
}

TEST(SweptKnowledge, WhatOtherStatementsHoldIsNotSaidToBeToldByTheFootage) {
  Walls walls(90);
  Knowledge knowledge = walls.asked;
  for (KnownSet& set : knowledge.sets) set.facing = SetFacing::Given;
  knowledge.sets[0].axis = Vec3::UnitZ(), knowledge.sets[1].axis = Vec3::UnitX();
  walls.known = *solveWithKnowledge(walls.shot.tracks, walls.options, walls.known, knowledge, Similarity(), {});
  const auto result = walls.swept(angleScalar("rear", "side"), 80, 90);
  ASSERT_TRUE(result.ok()) << result.error().message;
  EXPECT_EQ(result->verdict, SweepVerdict::Flat);
  EXPECT_THAT(result->sentence, HasSubstr("what else is known holds it at 90"));
}

TEST(SweptKnowledge, WhatIsUndeterminedIsRefusedWithTheReason) {
  const Walls walls;
  EXPECT_THAT(walls.swept(offsetScalar("rear"), 1, 2).error().message, HasSubstr("undetermined before a survey"));
  EXPECT_THAT(walls.swept(tiltScalar("rear"), 40, 50).error().message, HasSubstr("what is up"));
  EXPECT_THAT(walls.swept(angleScalar("rear", "side"), 1, 50).error().message, HasSubstr("between 3 and 90"));
  EXPECT_THAT(walls.swept(angleScalar("rear", "roof"), 10, 50).error().message, HasSubstr(angleScalar("rear", "side")));
}

TEST(SweptKnowledge, AValueIsTakenIntoWhatIsKnown) {
  Knowledge knowledge;
  knowledge.sets = {{.name = "a", .tracks = {1, 2, 3}}, {.name = "b", .tracks = {4, 5, 6}, .facing = SetFacing::Given}};
  knowledge.relations = {{.a = "b", .b = "a", .value = 90, .sigma = 1}};
  knowledge.distances = {{.from = 1, .to = 5, .metres = 2, .sigma = 0.1}};
  EXPECT_TRUE(takeScalar(knowledge, angleScalar("a", "b"), 71));
  ASSERT_EQ(knowledge.relations.size(), 1u);
  EXPECT_EQ(knowledge.relations[0].value, 71);
  EXPECT_TRUE(takeScalar(knowledge, offsetScalar("b"), 1.5));
  EXPECT_EQ(knowledge.sets[1].offset, 1.5);
  EXPECT_FALSE(takeScalar(knowledge, offsetScalar("a"), 1.5)) << "its normal is not given";
  EXPECT_TRUE(takeScalar(knowledge, lengthScalar(1, 5), 2.2));
  EXPECT_EQ(knowledge.distances[0], (KnownDistance{.from = 1, .to = 5, .metres = 2.2}));
  EXPECT_FALSE(takeScalar(knowledge, tiltScalar("a"), 30));
}

}  // namespace dusky::testing
