// Forward walks without pictures, of the same kind and of growing length: whether all frames get a camera, how true, and what it costs.
// long_shots [frames ...]; 150, 600 and 2400 when none is said.
#include <fmt/format.h>
#include <sys/resource.h>

#include <cmath>
#include <cstdlib>

#include "core/solve/solve_shot.h"
#include "tests/support/judge_by_truth.h"
#include "tests/support/synthetic_shot.h"

namespace dusky::testing {
namespace {

Pose walking(int index) {
  const double t = index;
  const Eigen::Quaterniond level(0, 1, 0, 0);
  const Vec3 turn(0.02 * std::sin(0.3 * t), 0.05 * std::sin(0.05 * t), 0.01 * std::cos(0.2 * t));
  return {(rotationFromVector(turn) * level).normalized(), Vec3(0.02 * std::sin(t), 1.6 + 0.02 * std::sin(1.3 * t), -0.06 * t)};
}

double peakMegabytes() {
  rusage usage{};
  getrusage(RUSAGE_SELF, &usage);
  return static_cast<double>(usage.ru_maxrss) / 1024;
}

void run(int frames) {
  SyntheticPlan plan{.frames = frames, .points = 4 * frames, .noise_px = 0.3, .life = 40};
  plan.lens.k1() = -0.06;
  plan.path = walking;
  const SyntheticShot shot = makeSyntheticShot(plan);
  int sightings = 0;
  for (const Track& track : shot.tracks.tracks) sightings += track.life();
  const Stopwatch watch;
  const auto solved = solveShot(shot.tracks, {}, {});
  if (!solved.ok()) return fmt::print("{:6} {}\n", frames, solved.error().message);
  const double seconds = watch.seconds();
  const Solution& s = **solved;
  const auto truth = judgeByTruth(shot, s);
  fmt::print("{:6} {:7} {:9} {:5}/{:<5} {:7.1f} {:6.2f} {:8.3f} {:8.3f} {:9.4f} {:8.3f} {:7.0f}\n", frames, shot.tracks.tracks.size(), sightings,
             s.placedFrames(), frames, seconds, 1000 * seconds / frames, s.rms_px, truth.ok() ? truth->slip_rms_px : kUnknown, pathError(shot, s),
             worstTurn_deg(shot, s), peakMegabytes());
}

}  // namespace
}  // namespace dusky::testing

int main(int count, char** words) {
  fmt::print("frames  tracks sightings  placed      s     ms/frame  RMS px  slip px  path err turn deg peak MB\n");
  for (int i = 1; i < count; ++i) dusky::testing::run(std::atoi(words[i]));
  for (const int frames : {150, 600, 2400}) {
    if (count < 2) dusky::testing::run(frames);
  }
  return 0;
}
