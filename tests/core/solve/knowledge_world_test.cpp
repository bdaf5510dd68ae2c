// Surveys, known distances, lines and what is known of the camera: against the truth of made-up shots.
#include <gmock/gmock.h>
#include <gtest/gtest.h>

#include <cmath>

#include "core/base/random.h"
#include "core/geometry/align.h"
#include "core/project/result_codec.h"
#include "core/review/verdict.h"
#include "core/scene/scene.h"
#include "core/solve/knowledge_stage.h"
#include "core/solve/knowledge_world.h"
#include "tests/support/judge_by_truth.h"
#include "tests/support/placed_points.h"

namespace dusky::testing {
using ::testing::AllOf;
using ::testing::ElementsAre;
using ::testing::HasSubstr;

constexpr double kDegree = M_PI / 180;

/// A shot whose truth is turned, scaled and shifted beside whatever world the solve chooses.
struct Stage {
  SyntheticShot shot;
  SolveOptions options{.lens = LensChoice::None};
  SolutionPtr plain;

  explicit Stage(SyntheticPlan plan = {.frames = 40, .points = 160, .noise_px = 0.2}) {
    shot = makeSyntheticShot(plan);
    const auto solved = solveShot(shot.tracks, options, {});
    EXPECT_TRUE(solved.ok());
    if (solved.ok()) plain = *solved;
  }
  Vec3 truth(int id) const { return shot.points[static_cast<std::size_t>(id - 1)]; }
  /// Kept tracks with a depth, far from each other.
  std::vector<int> spread(std::size_t count) const {
    std::vector<int> ids;
    for (const SolvedTrack& track : plain->tracks) {
      if (track.state == TrackState::Kept && !track.at_infinity && !track.holdout && track.life > 15) ids.push_back(track.id);
    }
    std::vector<int> chosen = {ids.front()};
    while (chosen.size() < count) {
      const auto away = [&](int id) {
        double least = 1e12;
        for (const int other : chosen) least = std::min(least, (truth(id) - truth(other)).norm());
        return least;
      };
      chosen.push_back(*std::max_element(ids.begin(), ids.end(), [&](int a, int b) { return away(a) < away(b); }));
    }
    std::sort(chosen.begin(), chosen.end());
    return chosen;
  }
  Result<SolutionPtr> with(const Knowledge& knowledge) const {
    return solveWithKnowledge(shot.tracks, options, plain, knowledge, orientScene(*plain, {})->scene_from_solve, {});
  }
  const Pose& pose(int frame) const { return shot.poses[static_cast<std::size_t>(frame - 1)]; }
  /// RMS of how far cameras stand from the truth in the world of what is known.
  double camerasOff(const Solution& solution) const {
    const Similarity world = orientScene(solution, {})->scene_from_solve;
    double sum = 0;
    int count = 0;
    for (const SolvedFrame& frame : solution.frames) {
      if (frame.placed) sum += (world * frame.pose.centre - pose(frame.frame).centre).squaredNorm(), ++count;
    }
    return std::sqrt(sum / count);
  }
};

std::vector<SurveyPoint> surveyOf(const Stage& stage, std::size_t count, double sigma = 0, std::uint64_t seed = 1) {
  Random random(seed);
  std::vector<SurveyPoint> survey;
  for (const int id : stage.spread(count)) {
    const Vec3 off = sigma * Vec3(random.normal(), random.normal(), random.normal());
    survey.push_back({.name = "S" + std::to_string(id), .track = id, .at = stage.truth(id) + off, .sigma = Vec3::Constant(sigma)});
  }
  return survey;
}

const SolvedStatement& named(const Solution& solution, const std::string& name) {
  const auto& all = solution.knowledge.statements;
  const auto found = std::find_if(all.begin(), all.end(), [&](const SolvedStatement& s) { return s.name == name; });
  EXPECT_NE(found, all.end()) << name;
  return *found;
}

TEST(WorldFit, FindsTheSimilarityAndWhoIsWrong) {
  Random random(3);
  const Similarity world{2.5, rotationFromVector(Vec3(0.3, -1.2, 0.6)), Vec3(100, -20, 7)};
  std::vector<KnownPlace> places;
  for (int k = 0; k < 12; ++k) {
    const Vec3 p(random.normal(), random.normal(), random.normal());
    places.push_back({p, world * p + 0.01 * Vec3(random.normal(), random.normal(), random.normal()), 0.01});
  }
  places[4].known.x() += 3, places[9].known.y() -= 1;
  const auto fit = fitWorld(places);
  ASSERT_TRUE(fit);
  EXPECT_THAT(fit->outliers, ElementsAre(4, 9));
  EXPECT_NEAR(fit->world_from_solve.scale, 2.5, 0.02);
  EXPECT_NEAR((fit->world_from_solve.shift - world.shift).norm(), 0, 0.03);
  std::vector<KnownPlace> line;
  for (int k = 0; k < 6; ++k) line.push_back({Vec3(k, 2 * k, 0), Vec3(k, 2 * k, 0), 0.01});
  EXPECT_FALSE(fitWorld(line)) << "it may turn about the line";
  EXPECT_FALSE(fitWorld({places[0], places[1]}));
}

TEST(Survey, PlacesAndScalesTheWorldAndTellsHowFarEachIsOff) {
  const Stage stage;
  Knowledge knowledge;
  knowledge.survey = surveyOf(stage, 6);
  const auto known = stage.with(knowledge);
  ASSERT_TRUE(known.ok()) << known.error().message;
  const SceneFrame scene = *orientScene(**known, {});
  EXPECT_TRUE(scene.surveyed && scene.metric);
  EXPECT_LT(stage.camerasOff(**known), 0.02);
  for (const SurveyPoint& point : knowledge.survey) {
    const SolvedStatement& s = named(**known, point.name);
    EXPECT_LT(s.found, 1e-3) << "it is exact";
    EXPECT_LT(s.rms_px, 1);
    EXPECT_TRUE(s.undetermined.empty());
  }
  EXPECT_LT((*known)->knowledge.cost_sigmas, 4);
  EXPECT_LT((*known)->knowledge.sigma_scale_share, 0.01);
  const auto read = decodeSolution(encode(**known));
  ASSERT_TRUE(read.ok());
  EXPECT_EQ(encode(**read), encode(**known)) << "it survives a project";
}

TEST(Survey, OnePointThatIsWrongIsSetAsideAndNamed) {
  const Stage stage;
  Knowledge knowledge;
  knowledge.survey = surveyOf(stage, 7, 0.01);
  knowledge.survey[2].at.z() += 2;
  const auto known = stage.with(knowledge);
  ASSERT_TRUE(known.ok()) << known.error().message;
  EXPECT_THAT(named(**known, knowledge.survey[2].name).undetermined, HasSubstr("set aside"));
  EXPECT_LT(stage.camerasOff(**known), 0.05);
  const auto causes = judgeSolution(**known).causes;
  EXPECT_TRUE(std::any_of(causes.begin(), causes.end(), [&](const Cause& c) { return c.sentence.find(knowledge.survey[2].name) != std::string::npos; }));
}

TEST(Survey, TwoPointsSayNothingAndThreeOnALineNeither) {
  const Stage stage;
  Knowledge knowledge;
  knowledge.survey = surveyOf(stage, 2);
  const auto known = stage.with(knowledge);
  ASSERT_TRUE(known.ok());
  for (const SolvedStatement& s : (*known)->knowledge.statements) EXPECT_THAT(s.undetermined, HasSubstr("three points or more"));
  EXPECT_FALSE(orientScene(**known, {})->surveyed);
}

TEST(Survey, HowFarItsPointsAreOffIsAsSureAsItSays) {
  int within = 0, all = 0;
  for (std::uint64_t seed = 1; seed <= 6; ++seed) {
    const Stage stage({.frames = 30, .points = 120, .noise_px = 0.3, .seed = seed});
    Knowledge knowledge;
    knowledge.survey = surveyOf(stage, 8, 0.05, seed);
    const auto known = stage.with(knowledge);
    ASSERT_TRUE(known.ok());
    for (const SurveyPoint& point : knowledge.survey) ++all, within += named(**known, point.name).cost_sigmas < 2.8;  // 95 % of three dimensions
  }
  EXPECT_GE(within, 0.88 * all);
}

TEST(Distances, TwoThatAreExactScaleTheWorldAndAWrongOneCosts) {
  const Stage stage;
  const auto ids = stage.spread(6);
  const auto length = [&](int a, int b) { return (stage.truth(a) - stage.truth(b)).norm(); };
  Knowledge knowledge;
  knowledge.distances = {{ids[0], ids[1], length(ids[0], ids[1])}, {ids[2], ids[3], length(ids[2], ids[3])}};
  const auto known = stage.with(knowledge);
  ASSERT_TRUE(known.ok()) << known.error().message;
  const auto scene = orientScene(**known, {});
  EXPECT_TRUE(scene->metric);
  for (const auto& s : (*known)->knowledge.statements) {
    EXPECT_NEAR(s.found, s.asked, 1e-4 * s.asked);
    EXPECT_LT(s.cost_sigmas, 4);
  }
  const SolvedTrack *a = (*known)->find(ids[4]), *b = (*known)->find(ids[5]);
  EXPECT_NEAR(scene->scene_from_solve.scale * (a->point - b->point).norm(), length(ids[4], ids[5]), 0.005 * length(ids[4], ids[5])) << "a third one agrees";
  knowledge.distances.push_back({ids[4], ids[5], 1.2 * length(ids[4], ids[5]), 0.01});
  const auto wrong = stage.with(knowledge);
  ASSERT_TRUE(wrong.ok());
  EXPECT_GT((*wrong)->knowledge.statements[2].cost_sigmas, 8);
  EXPECT_NEAR((*wrong)->knowledge.statements[2].without / (*wrong)->knowledge.statements[2].asked, 1 / 1.2, 0.02);
}

TEST(Distances, ThatCannotBeAreRefusedByName) {
  const Stage stage;
  const auto ids = stage.spread(3);
  Knowledge knowledge;
  knowledge.distances = {{ids[0], ids[1], 1}, {ids[1], ids[2], 1}, {ids[0], ids[2], 5}};  // no triangle
  const auto known = stage.with(knowledge);
  ASSERT_FALSE(known.ok());
  EXPECT_EQ(known.error().kind, ErrorKind::CannotSolve);
  EXPECT_THAT(known.error().message, AllOf(HasSubstr("tracks"), HasSubstr("together with what else is exact")));
  knowledge.distances = {{ids[0], 99999, 1}, {ids[1], ids[2], 1}};
  EXPECT_THAT(stage.with(knowledge).error().message, HasSubstr("track 99999 takes no part"));
}

/// Ten of the points moved onto an edge 1.2 above the floor; the others on the floor or free, as they are drawn.
struct Edge : Stage {
  std::vector<int> edge, floor;
  Edge() {
    Random random(5);
    const Vec3 middle = middleOf(shot);
    for (int id = 1; id <= 10; ++id) {
      placePoint(shot, id, Vec3(middle.x() - 1 + 0.2 * id, 1.2, middle.z()), 0.2, random);
      if (shot.tracks.find(id)) edge.push_back(id);
    }
    for (const Track& track : shot.tracks.tracks) {
      if (track.id > 10 && std::abs(truth(track.id).y()) < 1e-9) floor.push_back(track.id);
    }
    plain = *solveShot(shot.tracks, options, {});
  }
};

TEST(Lines, AreStraightAndRelateToPlanes) {
  const Edge stage;
  Knowledge knowledge;
  knowledge.sets = {{.name = "edge", .kind = SetKind::Line, .tracks = stage.edge}, {.name = "floor", .tracks = stage.floor, .facing = SetFacing::Level}};
  knowledge.relations = {{.a = "edge", .b = "floor", .value = 0}};
  const auto known = stage.with(knowledge);
  ASSERT_TRUE(known.ok()) << known.error().message;
  const SolvedSet& edge = (*known)->knowledge.sets[0];
  EXPECT_LT(edge.rms, 1e-4);
  EXPECT_GT(edge.sigma_axis_rad, 0);
  EXPECT_LT(edge.sigma_axis_rad, 1 * kDegree);
  EXPECT_NEAR((*known)->knowledge.statements[0].found, 0, 1e-4) << "it lies along the floor";
  EXPECT_LT((*known)->knowledge.statements[0].cost_sigmas, 4);
  const Similarity scene = orientScene(**known, {})->scene_from_solve;
  EXPECT_NEAR(std::abs((scene.rotation * (*known)->knowledge.sets[1].axis).y()), 1, 1e-9) << "a level floor is what is up";
  // Square to the floor it is not.
  knowledge.relations[0].value = 90, knowledge.relations[0].sigma = 5;
  const auto wrong = stage.with(knowledge);
  ASSERT_TRUE(wrong.ok());
  EXPECT_GT((*wrong)->knowledge.statements[0].cost_sigmas, 8);
}

TEST(Planes, ThatAreOneOrApart) {
  const Edge stage;
  const std::vector<int> near(stage.floor.begin(), stage.floor.begin() + 15), far(stage.floor.begin() + 15, stage.floor.end());
  Knowledge knowledge;
  knowledge.sets = {{.name = "near", .tracks = near}, {.name = "far", .tracks = far}};
  knowledge.relations = {{RelationKind::Same, "near", "far", 0}};
  const auto one = stage.with(knowledge);
  ASSERT_TRUE(one.ok()) << one.error().message;
  EXPECT_NEAR(std::abs((*one)->knowledge.sets[0].axis.dot((*one)->knowledge.sets[1].axis)), 1, 1e-6);
  EXPECT_LT((*one)->knowledge.statements[0].found, 1e-3);
  EXPECT_LT((*one)->knowledge.statements[0].cost_sigmas, 5);
  knowledge.relations = {{RelationKind::Same, "near", "far", 0, 0, false}};
  knowledge.sets.push_back({.name = "edge", .kind = SetKind::Line, .tracks = stage.edge});
  knowledge.relations.push_back({RelationKind::Same, "edge", "near", 0, 2});
  const auto lies = stage.with(knowledge);
  ASSERT_TRUE(lies.ok()) << lies.error().message;
  EXPECT_GT((*lies)->knowledge.statements[0].found, 0.3) << "the edge is no part of the floor, and said loosely it need not be";
  knowledge.relations = {{RelationKind::Apart, "near", "edge", 1.8}};
  EXPECT_THAT(stage.with(knowledge).error().message, HasSubstr("taken between planes"));
}

TEST(Planes, AGivenOffsetIsALengthAlongTheGivenNormal) {
  const Edge stage;
  Knowledge knowledge;
  knowledge.survey = surveyOf(stage, 6);
  for (SurveyPoint& point : knowledge.survey) point.at.y() += 2;
  knowledge.sets = {
      {.name = "floor", .tracks = stage.floor, .facing = SetFacing::Given, .axis = Vec3(0, -3, 0), .offset = -2, .sigma = 0.05},
  };
  const auto known = stage.with(knowledge);
  ASSERT_TRUE(known.ok()) << known.error().message;
  const SolvedStatement& offset = named(**known, "floor offset");
  EXPECT_FALSE(offset.turns);
  EXPECT_NEAR(offset.found, -2, 0.02);
  EXPECT_NEAR(offset.without, -2, 0.05);
  EXPECT_LT(offset.cost_sigmas, 4);
  EXPECT_TRUE(named(**known, "floor given").turns);
  knowledge.sets[0].offset = -2.6;
  const auto wrong = stage.with(knowledge);
  ASSERT_TRUE(wrong.ok());
  EXPECT_GT(named(**wrong, "floor offset").cost_sigmas, 4);
}

TEST(Camera, WhatIsKnownOfItHolds) {
  const Stage stage;
  Knowledge knowledge;
  knowledge.camera = {{.fact = CameraFact::Straight, .first = 5, .last = 20}, {.fact = CameraFact::Smooth, .first = 1, .last = 40, .sigma = 0.5}};
  const auto straight = stage.with(knowledge);
  ASSERT_TRUE(straight.ok()) << straight.error().message;
  EXPECT_LT(named(**straight, "camera straight, frames 5 to 20").found, 1e-3);
  knowledge.camera = {{.fact = CameraFact::Still, .first = 10, .last = 14}};
  const auto still = stage.with(knowledge);
  ASSERT_TRUE(still.ok());
  const Vec3 apart = (*still)->frameAt(10)->pose.centre - (*still)->frameAt(14)->pose.centre;
  EXPECT_LT(apart.norm(), 1e-3 * ((*still)->frameAt(1)->pose.centre - (*still)->frameAt(40)->pose.centre).norm());
  EXPECT_GT((*still)->knowledge.statements[0].cost_sigmas, 8) << "it moved";
  knowledge.camera = {{.fact = CameraFact::Straight, .first = 500, .last = 520}};
  EXPECT_THAT(stage.with(knowledge).error().message, HasSubstr("0 of these frames have a camera"));
}

TEST(Camera, KnownPlacesAndOneRotationSayHowTheWorldLies) {
  const Stage stage;
  Knowledge knowledge;
  for (const int frame : {1, 14, 27, 40})
    knowledge.camera.push_back({.fact = CameraFact::Position, .first = frame, .last = frame, .at = stage.pose(frame).centre});
  knowledge.camera.push_back({.fact = CameraFact::Rotation, .first = 20, .last = 20, .rotation = stage.pose(20).world_from_camera});
  const auto known = stage.with(knowledge);
  ASSERT_TRUE(known.ok()) << known.error().message;
  EXPECT_LT(stage.camerasOff(**known), 0.02);
  EXPECT_LT(named(**known, "camera rotation, frame 20").found, 0.01 * kDegree);
  knowledge.camera.resize(1);
  const auto one = stage.with(knowledge);
  ASSERT_TRUE(one.ok());
  EXPECT_THAT((*one)->knowledge.statements[0].undetermined, HasSubstr("three known positions"));
}

}  // namespace dusky::testing
