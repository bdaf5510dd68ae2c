// The summary of a solve said "settled" whatever had happened, and one round too few.
#include <gtest/gtest.h>

#include "core/solve/solve_shot.h"
#include "core/solve/stages.h"
#include "core/solve/warm_start.h"
#include "tests/support/synthetic_shot.h"

namespace dusky::testing {

TEST(SolveSummary, CountsTheAdjustmentsOfAllFrames) {
  const SyntheticShot shot = makeSyntheticShot({.frames = 60, .points = 500, .noise_px = 0.2, .life = 24});
  const auto solved = solveShot(shot.tracks, {.motion = CameraMotion::Free, .max_rounds = 1}, {});
  ASSERT_TRUE(solved.ok());
  EXPECT_EQ((*solved)->summary.rounds, 3) << "one to settle, two to finish; those of a part of the frames don't count";
  EXPECT_EQ((*solved)->summary.termination, Termination::Settled);
}

TEST(SolveSummary, SaysHowTheLastAdjustmentEnded) {
  const SyntheticShot shot = makeSyntheticShot({.frames = 24, .points = 220, .noise_px = 0.2});
  Solution away = perfectSolution(shot);
  for (SolvedFrame& frame : away.frames) frame.pose.centre += 0.3 * Vec3(std::sin(frame.frame), std::cos(2.0 * frame.frame), 0);
  const SolveOptions options;
  SolveState state = warmStart(away, shot.tracks, options);
  const Progress silent;
  const SolveTask task{shot.tracks, options, silent};
  EXPECT_EQ(state.termination, Termination::NotRun);
  settle(state, task, 1, silent);
  EXPECT_EQ(state.termination, Termination::StepLimit) << "six steps do not bring it home";
  EXPECT_EQ(state.rounds, 1);
  std::stop_source stop;
  stop.request_stop();
  const Progress stopped({}, stop.get_token());
  finish(state, {shot.tracks, options, stopped}, stopped);
  EXPECT_EQ(state.termination, Termination::StepLimit) << "nothing was adjusted any more";
}

}  // namespace dusky::testing
