// A sequence may begin with frame 0, and 0 was also the word for "no frame": what hurts in frame 0 was not said, or said of another frame.
#include <gmock/gmock.h>
#include <gtest/gtest.h>

#include "core/review/verdict.h"
#include "tests/support/synthetic_shot.h"

namespace dusky::testing {
using ::testing::HasSubstr;

Solution fromZero() { return perfectSolution(makeSyntheticShot({.frames = 30, .points = 80, .first_frame = 0, .noise_px = 0.1})); }

TEST(FrameZero, HasNoCameraAndThatIsSaid) {
  Solution s = fromZero();
  s.frames[0].placed = false;
  const Verdict verdict = judgeSolution(s);
  EXPECT_THAT(verdict.hurt, HasSubstr("Frame 0 has no camera"));
  EXPECT_EQ(verdict.hurt_frames, (FrameRange{0, 0}));
}

TEST(FrameZero, IsTheThinnest) {
  Solution s = fromZero();
  s.frames[0].tracks = 3;
  const Verdict verdict = judgeSolution(s);
  EXPECT_EQ(verdict.thinnest_frame, 0);
  EXPECT_EQ(verdict.thinnest_tracks, 3);
  EXPECT_THAT(verdict.hurt, HasSubstr("Frame 0 hangs"));
}

TEST(FrameZero, BeginsTheRunThatIsLoud) {
  Solution s = fromZero();
  for (int f = 0; f < 3; ++f) s.frames[f].rms_px *= 5;
  const Verdict verdict = judgeSolution(s);
  EXPECT_THAT(verdict.hurt, HasSubstr("Frames 0–2 carry"));
  EXPECT_EQ(verdict.hurt_frames, (FrameRange{0, 2}));
  EXPECT_FALSE(verdict.fine);
}

TEST(FrameZero, AnEmptySolutionHasNoThinnestFrame) { EXPECT_FALSE(judgeSolution(Solution{}).thinnest_frame); }

}  // namespace dusky::testing
