// What the errors follow says what was solved wrongly: each kind of mistake, made on purpose, is named; a right solve names none.
#include "core/review/residual_patterns.h"

#include <gmock/gmock.h>
#include <gtest/gtest.h>

#include <cmath>

#include "core/review/reviewed_solve.h"
#include "core/review/verdict.h"
#include "core/solve/path_shape.h"
#include "core/solve/sort_out.h"
#include "core/solve/warm_start.h"
#include "tests/support/synthetic_shot.h"

namespace dusky::testing {

using ::testing::Contains;
using ::testing::HasSubstr;
using ::testing::Not;

std::vector<std::string> patternsOf(const SyntheticPlan& plan, const SolveOptions& options) {
  const auto solved = reviewedSolve(makeSyntheticShot(plan).tracks, options, {});
  if (!solved.ok()) return {solved.error().message};
  std::vector<std::string> found;
  for (const Cause& cause : judgeSolution(**solved).causes) {
    if (cause.what.find("pattern") != std::string::npos) found.push_back(cause.what);
  }
  return found;
}

SyntheticPlan walk() { return {.frames = 50, .points = 260, .noise_px = 0.15, .life = 30, .seed = 3}; }

TEST(ResidualPatterns, ARightSolveShowsNone) {
  SyntheticPlan plan = walk();
  plan.lens.k1() = -0.08;
  EXPECT_TRUE(patternsOf(plan, {}).empty());
  plan.focal_px = [](int i) { return 1000 + 8.0 * i; };
  EXPECT_TRUE(patternsOf(plan, {.focal = FocalKnowledge::Zoom}).empty());
}

TEST(ResidualPatterns, ALensThatIsLeftOutIsNamed) {
  SyntheticPlan plan = walk();
  plan.lens.k1() = -0.08;
  EXPECT_THAT(patternsOf(plan, {.lens = LensChoice::None}), Contains("lens pattern"));
}

TEST(ResidualPatterns, AShutterThatIsLeftOutIsNamed) {
  SyntheticPlan plan = walk();
  plan.readout = 0.35, plan.path = [](int i) { return walkingOn(i, 0.12); };
  EXPECT_THAT(patternsOf(plan, {.auto_readout = false}), Contains("shutter pattern"));
}

TEST(ResidualPatterns, AZoomThatIsLeftOutIsNamed) {
  SyntheticPlan plan = walk();
  plan.focal_px = [](int i) { return i < 20 ? 1000.0 : i > 30 ? 1040.0 : 1000 + 4.0 * (i - 20); };
  const SolveOptions constant{.focal = FocalKnowledge::Locked, .focal_px = 1000};
  EXPECT_THAT(patternsOf(plan, constant), Contains("zoom pattern"));
}

TEST(ResidualPatterns, APathHeldToALineItLeftIsNamed) {
  SyntheticPlan plan = walk();
  plan.path = bowedPath(plan.frames);
  const SyntheticShot shot = makeSyntheticShot(plan);
  const auto solved = solveShot(shot.tracks, {.motion = CameraMotion::Free}, {});
  ASSERT_TRUE(solved.ok()) << solved.error().message;
  SolveState state = finalState(**solved, shot.tracks, {});
  const auto named = [&] {
    const std::vector<ResidualPattern> found = residualPatterns(state, {}, 0.15);
    return std::any_of(found.begin(), found.end(), [](const ResidualPattern& p) { return p.kind == PatternKind::Path && p.sigmas > 6; });
  };
  EXPECT_FALSE(named()) << "nothing holds it";
  shapePath(state.work, CameraMotion::Rail, 0.2);
  for (CameraPlane& plane : state.work.planes) plane.weight *= 1e6;
  adjustReconstruction(state.work, finalOptions(state, {}), {});
  EXPECT_TRUE(named());
}

TEST(ResidualPatterns, AreMeasuredInPx) {
  // Cameras, points and lens where they are, but for the focal length, which creeps a little.
  SyntheticPlan plan{.frames = 40, .points = 220, .noise_px = 0.05, .life = 20, .seed = 8};
  plan.focal_px = [](int i) { return 1100 + 0.6 * std::max(0, i - 15); };
  const SyntheticShot shot = makeSyntheticShot(plan);
  SolveState state{.work = reconstructionAtTruth(shot)};
  state.freedom[0] = true, state.spread_px = 0.05;
  adjustReconstruction(state.work, finalOptions(state, {}), {});
  const double before = measured(state.work).rms_px;
  const std::vector<ResidualPattern> patterns = residualPatterns(state, {}, 0.05);
  const auto zoom = std::find_if(patterns.begin(), patterns.end(), [](const ResidualPattern& p) { return p.kind == PatternKind::Zoom; });
  ASSERT_NE(zoom, patterns.end());
  EXPECT_GT(zoom->sigmas, 6);
  EXPECT_NEAR(zoom->amplitude_px, std::sqrt(before * before - 2 * 0.05 * 0.05), 0.3 * before) << "what is over the noise";
  state.work.focal_px.clear();
  for (std::size_t f = 0; f < state.work.poses.size(); ++f) state.work.focal_px.push_back(plan.focal_px(static_cast<int>(f)));
  for (const ResidualPattern& p : residualPatterns(state, {}, 0.05)) EXPECT_NE(p.kind, PatternKind::Zoom) << "it has a focal length for each frame";
}

TEST(ResidualPatterns, TheVerdictSaysWhatToDo) {
  Solution solution = perfectSolution(makeSyntheticShot({.frames = 12, .points = 300, .noise_px = 0.2}));
  solution.evidence = {.noise_floor_px = 0.2, .explained_share = 0.95, .focal_sigma_share = 0.001};
  solution.evidence.patterns = {{PatternKind::Shutter, 4, 0.3}, {PatternKind::Lens, 30, 0.01}};
  EXPECT_EQ(judgeSolution(solution).level, TrustLevel::Trust) << "neither by chance nor by a hundredth of a pixel";
  solution.evidence.patterns.front().sigmas = 12;
  const Verdict verdict = judgeSolution(solution);
  EXPECT_EQ(verdict.level, TrustLevel::Check);
  EXPECT_EQ(verdict.causes.front().what, "shutter pattern");
  EXPECT_THAT(verdict.sentence, HasSubstr("readout"));
  EXPECT_THAT(verdict.sentence, HasSubstr("0.30 px"));
}

}  // namespace dusky::testing
