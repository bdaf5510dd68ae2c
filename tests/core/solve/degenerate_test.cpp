// Tracks that no camera can be found from, and some that are only odd: a sentence or a sound result, never a number that is none.
#include <gtest/gtest.h>

#include <cmath>

#include "core/base/random.h"
#include "core/solve/solve_shot.h"
#include "tests/support/synthetic_shot.h"

namespace dusky::testing {

void expectSound(const Result<SolutionPtr>& solved, const std::string& what) {
  if (!solved.ok()) {
    EXPECT_FALSE(solved.error().message.empty()) << what;
    return;
  }
  const Solution& s = **solved;
  for (const SolvedFrame& frame : s.frames) {
    if (!frame.placed) continue;
    EXPECT_TRUE(frame.pose.centre.allFinite()) << what;
    EXPECT_TRUE(frame.pose.world_from_camera.coeffs().allFinite()) << what;
    EXPECT_FALSE(std::isinf(frame.sigma_centre)) << what;
  }
  for (const SolvedTrack& track : s.tracks) {
    if (track.state == TrackState::Kept) EXPECT_TRUE(track.point.allFinite()) << what << " " << track.id;
  }
  EXPECT_TRUE(std::isfinite(s.lens().focal_px)) << what;
  EXPECT_TRUE(std::isfinite(s.rms_px)) << what;
}

TrackSet tracksOf(int frames, int count, const std::function<Vec2(int track, int frame)>& place) {
  TrackSet set{.width = 1280, .height = 720, .first_frame = 1, .last_frame = frames};
  for (int t = 0; t < count; ++t) {
    Track track{.id = t + 1};
    for (int f = 1; f <= frames; ++f) track.observations.push_back({f, place(t, f)});
    set.tracks.push_back(std::move(track));
  }
  return set;
}

TEST(Degenerate, OddTracksNeverGiveNumbersThatAreNone) {
  Random random(2);
  const auto grid = [](int t) { return Vec2(80 + 110 * (t % 11), 60 + 120 * (t / 11 % 6)); };
  expectSound(solveShot(tracksOf(12, 60, [&](int t, int) { return grid(t); }), {}, {}), "nothing moves");
  expectSound(solveShot(tracksOf(12, 60, [&](int t, int f) { return Vec2(grid(t) + Vec2(6.0 * f, 0)); }), {}, {}), "all slide alike");
  expectSound(solveShot(tracksOf(12, 60, [&](int, int f) { return Vec2(400 + 9.0 * f, 300); }), {}, {}), "all in one place");
  expectSound(solveShot(tracksOf(12, 60, [&](int t, int f) { return Vec2(20.0 * t + 4 * f, 300); }), {}, {}), "all on one line");
  expectSound(solveShot(tracksOf(12, 60, [&](int, int) { return Vec2(random.between(0, 1280), random.between(0, 720)); }), {}, {}), "noise alone");
  expectSound(
      solveShot(tracksOf(12, 60, [&](int t, int f) { return Vec2(640 + (grid(t).x() - 640) * (1 + 0.03 * f), 360 + (grid(t).y() - 360) * (1 + 0.03 * f)); }),
                {}, {}),
      "all grow alike: a zoom or a wall");
  expectSound(solveShot(TrackSet{}, {}, {}), "nothing at all");
}

TEST(Degenerate, FewAndShortTracksAreRefusedOrSolvedSoundly) {
  for (const int points : {6, 16, 24})
    expectSound(solveShot(makeSyntheticShot({.frames = 8, .points = points, .noise_px = 0.3}).tracks, {}, {}), std::to_string(points));
  expectSound(solveShot(makeSyntheticShot({.frames = 30, .points = 200, .noise_px = 0.3, .life = 3}).tracks, {}, {}), "three frames each");
  expectSound(solveShot(makeSyntheticShot({.frames = 1, .points = 200}).tracks, {}, {}), "one frame");
}

TEST(Degenerate, OneOutlierInFiveChangesLittle) {
  const SyntheticShot clean = makeSyntheticShot({.frames = 24, .points = 250, .noise_px = 0.2});
  const SyntheticShot dirty = makeSyntheticShot({.frames = 24, .points = 312, .noise_px = 0.2, .outlier_share = 0.2});
  const auto a = solveShot(clean.tracks, {}, {}), b = solveShot(dirty.tracks, {}, {});
  ASSERT_TRUE(a.ok() && b.ok());
  EXPECT_LT(pathError(dirty, **b), 2 * pathError(clean, **a) + 0.003);
}

TEST(Degenerate, CamerasMustBeGivenForEveryFrame) {
  SolveOptions options;
  options.camera_of = {0, 1};
  EXPECT_FALSE(solveShot(makeSyntheticShot({.frames = 8, .points = 60}).tracks, options, {}).ok());
}

}  // namespace dusky::testing
