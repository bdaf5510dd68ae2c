// A camera that only turns, or does not even that, is put in its place by a survey: against the truth.
#include <gmock/gmock.h>
#include <gtest/gtest.h>

#include "core/base/random.h"
#include "core/project/result_codec.h"
#include "core/review/reviewed_solve.h"
#include "core/review/verdict.h"
#include "core/scene/scene.h"
#include "core/solve/knowledge_stage.h"
#include "tests/support/synthetic_shot.h"

namespace dusky::testing {
using ::testing::HasSubstr;

/// A head that pans by so much a frame, or stands, before a set that is deep.
struct Tripod {
  SyntheticShot shot;
  SolveOptions options{.motion = CameraMotion::Nodal, .lens = LensChoice::None, .holdout_share = 0};
  Result<SolutionPtr> plain = SolutionPtr();

  explicit Tripod(double pan, std::uint64_t seed = 1, double noise_px = 0.2) {
    SyntheticPlan plan{.frames = 30, .points = 140, .noise_px = noise_px};
    plan.seed = seed;
    plan.path = [pan](int i) {
      Pose pose = walkingOn(0, 0.12);
      pose.world_from_camera = Eigen::Quaterniond(Eigen::AngleAxisd(pan * i, Vec3::UnitY())) * pose.world_from_camera;
      return pose;
    };
    shot = makeSyntheticShot(plan);
    solve();
  }
  void solve() { plain = solveShot(shot.tracks, options, {}); }
  Vec3 truth(int id) const { return shot.points[static_cast<std::size_t>(id - 1)]; }

  /// Points spread over the pictures, measured so well.
  std::vector<SurveyPoint> survey(std::size_t count, double sigma, std::uint64_t seed = 1) const {
    Random random(seed);
    std::vector<SurveyPoint> all;
    const auto& tracks = (*plain)->tracks;
    for (std::size_t i = 3; i < tracks.size() && all.size() < count; i += tracks.size() / (count + 2)) {
      const SolvedTrack& track = tracks[i];
      if (track.state != TrackState::Kept || track.holdout || track.life < 10) continue;
      const Vec3 off = sigma * Vec3(random.normal(), random.normal(), random.normal());
      all.push_back({.name = "S" + std::to_string(track.id), .track = track.id, .at = truth(track.id) + off, .sigma = Vec3::Constant(sigma)});
    }
    return all;
  }
  Result<SolutionPtr> with(const std::vector<SurveyPoint>& survey) const {
    Knowledge knowledge;
    knowledge.survey = survey;
    return solveWithKnowledge(shot.tracks, options, *plain, knowledge, orientScene(**plain, {})->scene_from_solve, {});
  }
  /// How far the camera stands from the truth in the survey's world, and the largest angle that it is turned off, degrees.
  std::pair<double, double> off(const Solution& solution) const {
    Knowledge none;
    const Similarity world = orientScene(solution, {}, none)->scene_from_solve;
    double away = 0, turned = 0;
    for (const SolvedFrame& frame : solution.frames) {
      const Pose& pose = shot.poses[static_cast<std::size_t>(frame.frame - 1)];
      away = std::max(away, (world * frame.pose.centre - pose.centre).norm());
      turned = std::max(turned, (world.rotation * frame.pose.world_from_camera).angularDistance(pose.world_from_camera) * 180 / M_PI);
    }
    return {away, turned};
  }
};

TEST(SurveyAlone, PutsATurningCameraInItsPlace) {
  for (const std::uint64_t seed : {1, 2, 3, 4, 5, 6}) {
    const Tripod tripod(0.01, seed);
    ASSERT_TRUE(tripod.plain.ok()) << seed << ": " << tripod.plain.error().message;
    const auto known = tripod.with(tripod.survey(7, 0.005, seed));
    ASSERT_TRUE(known.ok()) << known.error().message;
    const auto [away, turned] = tripod.off(**known);
    EXPECT_LT(away, 0.05) << seed;
    EXPECT_LT(turned, 0.3) << seed;
    EXPECT_TRUE(orientScene(**known, {})->surveyed);
    for (const SolvedStatement& s : (*known)->knowledge.statements) EXPECT_TRUE(s.undetermined.empty()) << s.name << ": " << s.undetermined;
  }
}

TEST(SurveyAlone, FindsTheFocalLengthOfALockedOffCameraAndSaysBeforeThatItDoesNotKnow) {
  for (const double focal_px : {700.0, 1100.0, 2000.0}) {
    SCOPED_TRACE(focal_px);
    Tripod tripod(0);
    tripod.shot.plan.lens = Lens::simple(1280, 720, focal_px);
    tripod.shot = makeSyntheticShot(tripod.shot.plan);
    tripod.solve();
    ASSERT_TRUE(tripod.plain.ok()) << tripod.plain.error().message;
    EXPECT_TRUE((*tripod.plain)->evidence.focal_assumed);
    EXPECT_NE(judgeSolution(*reviewed(tripod.shot.tracks, tripod.options, *tripod.plain, {})).level, TrustLevel::Trust);
    const auto known = tripod.with(tripod.survey(9, 0.002));
    ASSERT_TRUE(known.ok()) << known.error().message;
    const Solution& solution = **known;
    EXPECT_NEAR(solution.lens().focal_px, focal_px, 4 * solution.cameras[0].sigma[0]);
    EXPECT_NEAR(solution.lens().focal_px, focal_px, 0.02 * focal_px);
    EXPECT_LT(tripod.off(solution).first, 0.1);
    EXPECT_FALSE(solution.evidence.focal_assumed);
    const auto read = decodeSolution(encode(solution));
    ASSERT_TRUE(read.ok());
    EXPECT_EQ(encode(**read), encode(solution));
    const SolutionPtr seen = reviewed(tripod.shot.tracks, tripod.options, *known, {});
    for (const Cause& cause : judgeSolution(*seen).causes) EXPECT_EQ(cause.what, "lens") << cause.sentence;  // nine points hold an insert to a px or two
  }
}

TEST(SurveyAlone, HowSureTheFocalLengthIsIsTrue) {
  int within = 0, all = 0;
  for (std::uint64_t seed = 1; seed <= 24; ++seed) {
    const Tripod tripod(0, seed);
    ASSERT_TRUE(tripod.plain.ok());
    const auto known = tripod.with(tripod.survey(8, 0.01, seed));
    if (!known.ok()) continue;
    const Solution& solution = **known;
    ++all, within += std::abs(solution.lens().focal_px - 1100) < 2 * solution.cameras[0].sigma[0];
  }
  EXPECT_GE(all, 22);
  EXPECT_GE(within, 0.85 * all);
}

TEST(SurveyAlone, AWrongPointIsSetAsideAndFivePointsAreTooFew) {
  const Tripod tripod(0.01);
  ASSERT_TRUE(tripod.plain.ok());
  auto survey = tripod.survey(8, 0.005);
  survey[2].at += Vec3(0.6, 0.4, 0);
  const auto known = tripod.with(survey);
  ASSERT_TRUE(known.ok()) << known.error().message;
  for (const SolvedStatement& s : (*known)->knowledge.statements) EXPECT_EQ(s.undetermined.starts_with("set aside"), s.name == survey[2].name) << s.name;
  EXPECT_LT(tripod.off(**known).first, 0.05);

  Tripod still(0);
  const auto few = still.with(still.survey(5, 0.005));
  ASSERT_TRUE(few.ok()) << few.error().message;
  EXPECT_THAT((*few)->knowledge.statements[0].undetermined, HasSubstr("six points"));
  EXPECT_TRUE((*few)->evidence.focal_assumed);
  still.options.motion = CameraMotion::Auto;
  still.solve();
  ASSERT_FALSE(still.plain.ok());
  EXPECT_THAT(still.plain.error().message, HasSubstr("say that it only rotates"));
}

}  // namespace dusky::testing
