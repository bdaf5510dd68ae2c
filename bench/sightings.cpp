// Shots without pictures of growing size, tracks to final solve: what a sighting costs, and how true the camera is.
// sightings [thousands ...]; 60, 200, 600 and 1000 thousand sightings when none is said.
#include <fmt/format.h>

#include <cstdlib>

#include "core/base/process.h"
#include "core/solve/solve_shot.h"
#include "tests/support/judge_by_truth.h"
#include "tests/support/synthetic_shot.h"

namespace dusky::testing {
namespace {

/// A walk of a tenth of a million sightings a hundred frames: longer shots with more tracks in a frame.
SyntheticPlan planOf(int thousands) {
  constexpr int kLife = 48;
  const int frames = thousands <= 60 ? 120 : thousands <= 200 ? 240 : thousands <= 600 ? 480 : 800;
  SyntheticPlan plan{.frames = frames, .points = 1000 * thousands / kLife, .noise_px = 0.25, .outlier_share = 0.08, .life = kLife};
  plan.lens = Lens::simple(640, 360, 560);
  plan.lens.k1() = -0.06;
  plan.path = [](int index) { return walkingOn(index, 0.03); };
  return plan;
}

void run(int thousands) {
  const SyntheticShot shot = makeSyntheticShot(planOf(thousands));
  int sightings = 0;
  for (const Track& track : shot.tracks.tracks) sightings += track.life();
  const Stopwatch watch;
  const auto solved = solveShot(shot.tracks, {}, {});
  if (!solved.ok()) return fmt::print("{:6} {}\n", thousands, solved.error().message);
  const double seconds = watch.seconds();
  const Solution& s = **solved;
  const auto truth = judgeByTruth(shot, s);
  fmt::print("{:9} {:6} {:7} {:5}/{:<5} {:7.2f} {:7.1f} {:8.3f} {:8.3f} {:8.3f} {:7.3f} {:7.0f}\n", sightings, shot.tracks.tracks.size(), shot.plan.frames,
             s.placedFrames(), shot.plan.frames, seconds, 1e6 * seconds / sightings, s.rms_px, s.holdout_rms_px, truth.ok() ? truth->slip_rms_px : kUnknown,
             truth.ok() ? 100 * truth->focal_error_share : kUnknown, peakResidentMb());
}

}  // namespace
}  // namespace dusky::testing

int main(int count, char** words) {
  fmt::print("sightings tracks  frames   placed        s      us   RMS px  holdout  slip px focal % peak MB\n");
  for (int i = 1; i < count; ++i) dusky::testing::run(std::atoi(words[i]));
  for (const int thousands : {60, 200, 600, 1000}) {
    if (count < 2) dusky::testing::run(thousands);
  }
  return 0;
}
