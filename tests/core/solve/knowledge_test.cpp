// What is known of the set takes part in the solve: against the truth of a shed with two walls seen with little parallax.
#include <gmock/gmock.h>
#include <gtest/gtest.h>

#include <cmath>

#include "core/geometry/align.h"
#include "core/project/result_codec.h"
#include "core/review/verdict.h"
#include "core/solve/knowledge_stage.h"
#include "tests/support/judge_by_truth.h"

namespace dusky::testing {
using ::testing::HasSubstr;

constexpr double kDegree = M_PI / 180;

/// A rear wall and, turned from it by an angle, a side wall on the left.
struct Shed {
  Vec3 rear = Vec3::UnitZ(), side;
  double rear_offset = -8, side_offset = 0;
  SyntheticShot shot;
  SolutionPtr plain;
  SolveOptions options{.lens = LensChoice::None};

  explicit Shed(std::uint64_t seed, double angle_deg = 90, double noise_px = 0.3) {
    side = Eigen::AngleAxisd(angle_deg * kDegree, Vec3::UnitY()) * rear;
    side_offset = side.dot(Vec3(-2.5, 0, -8));
    SyntheticPlan plan{.frames = 50, .points = 220, .noise_px = noise_px, .step = 0.02};
    plan.seed = seed;
    plan.set = [this](const Vec3& from, const Vec3& ray) -> std::optional<Vec3> {
      std::optional<double> nearest;
      for (const auto& [normal, offset] : {std::pair(rear, rear_offset), {side, side_offset}}) {
        const double towards = normal.dot(ray);
        const double depth = towards < -1e-6 ? (offset - normal.dot(from)) / towards : -1;
        if (depth > 0.5 && (!nearest || depth < *nearest)) nearest = depth;
      }
      return nearest && *nearest < 14 ? std::optional(Vec3(from + *nearest * ray)) : std::nullopt;
    };
    shot = makeSyntheticShot(plan);
    const auto solved = solveShot(shot.tracks, options, {});
    EXPECT_TRUE(solved.ok());
    if (solved.ok()) plain = *solved;
  }

  std::vector<int> on(bool rear_wall) const {
    std::vector<int> ids;
    for (const Track& track : shot.tracks.tracks) {
      const Vec3& p = shot.points[static_cast<std::size_t>(track.id - 1)];
      const bool is_rear = std::abs(rear.dot(p) - rear_offset) < 1e-6;
      if (is_rear == rear_wall) ids.push_back(track.id);
    }
    return ids;
  }
  Knowledge walls(bool square) const {
    Knowledge knowledge;
    knowledge.sets = {{.name = "rear", .tracks = on(true)}, {.name = "side", .tracks = on(false)}};
    if (square) knowledge.relations = {{.a = "rear", .b = "side"}};
    return knowledge;
  }
  Result<SolutionPtr> with(const Knowledge& knowledge) const { return solveWithKnowledge(shot.tracks, options, plain, knowledge, Similarity(), {}); }
  /// RMS distance of the solved points from the truth, the truth's units, the worlds laid on each other by their cameras.
  double wallsOff(const Solution& solution) const {
    std::vector<Pose> truth, solved;
    for (const SolvedFrame& frame : solution.frames) {
      if (frame.placed) truth.push_back(shot.poses[static_cast<std::size_t>(frame.frame - 1)]), solved.push_back(frame.pose);
    }
    const Similarity carry = *alignPaths(solved, truth);
    double sum = 0;
    int count = 0;
    for (const SolvedTrack& track : solution.tracks) {
      if (track.state == TrackState::Kept && !track.holdout && !track.at_infinity)
        sum += (carry * track.point - shot.points[static_cast<std::size_t>(track.id - 1)]).squaredNorm(), ++count;
    }
    return std::sqrt(sum / count);
  }
  double slip(const Solution& solution) const { return judgeByTruth(shot, solution)->slip_rms_px; }
};

TEST(KnowledgeInTheSolve, SquareWallsStandSquareAndTheCameraIsTruer) {
  double without = 0, with = 0, walls_without = 0, walls_with = 0;
  int seen_bent = 0;
  for (std::uint64_t seed = 1; seed <= 5; ++seed) {
    const Shed shed(seed);
    const auto known = shed.with(shed.walls(true));
    ASSERT_TRUE(known.ok()) << known.error().message;
    const SolvedKnowledge& k = (*known)->knowledge;
    ASSERT_EQ(k.sets.size(), 2u);
    ASSERT_EQ(k.statements.size(), 1u);
    EXPECT_NEAR(k.statements[0].found, 90 * kDegree, 1e-4);
    seen_bent += std::abs(k.statements[0].without - 90 * kDegree) > 0.2 * kDegree;
    EXPECT_LT(k.sets[0].rms, 1e-4) << "exactly flat";
    EXPECT_LT(std::abs(k.cost_sigmas), 4);
    EXPECT_LT(k.sets[0].rms_px_with, 1.1 * k.sets[0].rms_px_without);
    EXPECT_TRUE(k.sets[0].undetermined.empty());
    without += shed.slip(*shed.plain), with += shed.slip(**known);
    walls_without += shed.wallsOff(*shed.plain), walls_with += shed.wallsOff(**known);
  }
  EXPECT_GE(seen_bent, 3) << "without it the walls are off";
  EXPECT_LT(with, without);
  EXPECT_LT(walls_with, 0.5 * walls_without);
}

TEST(KnowledgeInTheSolve, HowSurePlanesAreIsTrue) {
  int within = 0, all = 0;
  for (std::uint64_t seed = 21; seed <= 28; ++seed) {
    const Shed shed(seed);
    const auto known = shed.with(shed.walls(false));
    ASSERT_TRUE(known.ok());
    std::vector<Pose> truth, solved;
    for (const SolvedFrame& frame : (*known)->frames) {
      if (frame.placed) truth.push_back(shed.shot.poses[static_cast<std::size_t>(frame.frame - 1)]), solved.push_back(frame.pose);
    }
    const Similarity carry = *alignPaths(truth, solved);
    for (const auto& [plane, normal] : {std::pair(0, shed.rear), {1, shed.side}}) {
      const SolvedSet& found = (*known)->knowledge.sets[static_cast<std::size_t>(plane)];
      const double off = std::acos(std::min(1.0, std::abs((carry.rotation * normal).dot(found.axis))));
      EXPECT_GT(found.sigma_axis_rad, 0);
      ++all, within += off < 2 * std::sqrt(2.0) * found.sigma_axis_rad;
    }
  }
  EXPECT_GE(within, 0.8 * all);
}

TEST(KnowledgeInTheSolve, WhatIsWrongCostsAndWhatIsTrueDoesNot) {
  const Shed right(3), wrong(3, 84);
  const auto fine = right.with(right.walls(true)), flat = wrong.with(wrong.walls(false)), bent = wrong.with(wrong.walls(true));
  ASSERT_TRUE(fine.ok() && flat.ok() && bent.ok());
  for (const auto& one : {*fine, *flat}) EXPECT_LT(std::abs((*one).knowledge.cost_sigmas), 4) << "what is true costs what chance does";
  EXPECT_LT((*fine)->knowledge.statements[0].cost_sigmas, 4);
  EXPECT_GT((*bent)->knowledge.statements[0].cost_sigmas, 8) << "it is six degrees off";
  EXPECT_GT((*bent)->knowledge.cost_sigmas, 4);
  EXPECT_GT(wrong.slip(**bent), wrong.slip(**flat));
  const auto told = [](const Solution& solution) {
    const auto causes = judgeSolution(solution).causes;
    return std::any_of(causes.begin(), causes.end(), [](const Cause& cause) { return cause.what == "knowledge"; });
  };
  EXPECT_TRUE(told(**bent)) << "the verdict says so";
  EXPECT_FALSE(told(**fine));
}

TEST(KnowledgeInTheSolve, AMemberThatIsNotOnTheWallIsNamedFirst) {
  const Shed shed(4);
  Knowledge knowledge = shed.walls(false);
  const int stranger = knowledge.sets[1].tracks[knowledge.sets[1].tracks.size() / 2];
  knowledge.sets[0].tracks.push_back(stranger);
  knowledge.sets[0].sigma = 0.02;
  knowledge.sets[1].on = false;
  const auto known = shed.with(knowledge);
  ASSERT_TRUE(known.ok()) << known.error().message;
  const auto& disagree = (*known)->knowledge.sets[0].disagree;
  ASSERT_FALSE(disagree.empty());
  EXPECT_EQ(disagree[0].track, stranger);
}

/// How far the first plane of a solve is from the rear wall as it truly stands.
double off_deg(const Shed& shed, const Solution& solution) {
  std::vector<Pose> truth, solved;
  for (const SolvedFrame& frame : solution.frames) {
    if (frame.placed) truth.push_back(shed.shot.poses[static_cast<std::size_t>(frame.frame - 1)]), solved.push_back(frame.pose);
  }
  const Similarity carry = *alignPaths(truth, solved);
  return std::acos(std::min(1.0, std::abs((carry.rotation * shed.rear).dot(solution.knowledge.sets[0].axis)))) / kDegree;
}

TEST(KnowledgeInTheSolve, StrangersThatARegionCaughtHaveNoPartAndAreNamed) {
  const Shed shed(5);
  Knowledge knowledge = shed.walls(false);
  auto& rear = knowledge.sets[0].tracks;
  const auto& side = knowledge.sets[1].tracks;
  const std::size_t caught = std::min<std::size_t>(side.size(), rear.size() / 4);
  rear.insert(rear.end(), side.begin(), side.begin() + static_cast<std::ptrdiff_t>(caught));
  std::sort(rear.begin(), rear.end());
  knowledge.sets[1].on = false;
  const auto known = shed.with(knowledge);
  ASSERT_TRUE(known.ok()) << known.error().message;
  const SolvedSet& wall = (*known)->knowledge.sets[0];
  std::size_t named = 0;
  for (const auto& d : wall.disagree) named += std::find(side.begin(), side.end(), d.track) != side.end();
  EXPECT_GE(named + 1, caught) << "all but one that may lie near the corner";
  EXPECT_LT(wall.rms_px_with, 1.1 * wall.rms_px_without) << "they do not pull at it";
  EXPECT_LT(off_deg(shed, **known), 1.5);
}

TEST(KnowledgeInTheSolve, LevelAndUprightShareOneUpAndOffMeansOff) {
  const Shed shed(6);
  Knowledge knowledge = shed.walls(false);
  for (KnownSet& plane : knowledge.sets) plane.facing = SetFacing::Upright;
  const auto upright = shed.with(knowledge);
  ASSERT_TRUE(upright.ok());
  const SolvedKnowledge& k = (*upright)->knowledge;
  ASSERT_TRUE(k.up);
  for (int wall : {0, 1}) EXPECT_NEAR(k.sets[static_cast<std::size_t>(wall)].axis.dot(*k.up), 0, 1e-4);
  for (KnownSet& plane : knowledge.sets) plane.on = false;
  Solution off = **shed.with(knowledge);
  EXPECT_EQ(off.knowledge.if_exact.size(), 2u) << "it is told what they would cost";
  off.knowledge = {};
  EXPECT_EQ(encode(off), encode(*shed.plain)) << "the solve as it was";
  // It survives a project, and comes back as what holds the bundle.
  const auto read = decodeSolution(encode(**upright));
  ASSERT_TRUE(read.ok());
  EXPECT_EQ(encode(**read), encode(**upright));
  EXPECT_EQ((*read)->knowledge.sets[0].tracks, k.sets[0].tracks);
}

TEST(KnowledgeInTheSolve, WhatCannotBeIsRefusedWithASentence) {
  const Shed shed(7);
  Knowledge few = shed.walls(false);
  few.sets[0].tracks = {99997, 99998, 99999};
  EXPECT_THAT(shed.with(few).error().message, HasSubstr("Plane \"rear\": 0 of its 3 tracks take part in the solve with a depth"));
  Knowledge clash = shed.walls(true);
  clash.relations.push_back({.a = "rear", .b = "side", .value = 60});
  const auto refused = shed.with(clash);
  ASSERT_FALSE(refused.ok());
  EXPECT_EQ(refused.error().kind, ErrorKind::CannotSolve);
  EXPECT_THAT(refused.error().message, HasSubstr("together with what else is exact"));
}

}  // namespace dusky::testing
