// Forward walks without pictures, of the same kind and of growing length: whether all frames get a camera, how true, and what it costs.
// long_shots [frames ...]; 150, 600 and 2400 when none is said. long_shots cancel [frames]: how soon a solve stops.
#include <fmt/format.h>

#include <atomic>
#include <cmath>
#include <cstdlib>
#include <thread>

#include "core/base/process.h"
#include "core/solve/solve_shot.h"
#include "tests/support/judge_by_truth.h"
#include "tests/support/synthetic_shot.h"

namespace dusky::testing {
namespace {

SyntheticPlan planOf(int frames) {
  SyntheticPlan plan{.frames = frames, .points = 4 * frames, .noise_px = 0.3, .life = 40};
  plan.lens.k1() = -0.06;
  plan.path = [](int index) { return walkingOn(index, 0.06); };
  return plan;
}

void run(int frames) {
  const SyntheticShot shot = makeSyntheticShot(planOf(frames));
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
             worstTurn_deg(shot, s), peakResidentMb());
}

/// How long a solve goes on after it was asked to stop, at many moments of it.
void cancelling(int frames) {
  const SyntheticShot shot = makeSyntheticShot(planOf(frames));
  const Stopwatch whole;
  (void)solveShot(shot.tracks, {}, {});
  const double all = whole.seconds();
  double worst = 0, worst_at = 0;
  std::string doing;
  for (double at = 0.02 * all; at < all; at += 0.04 * all) {
    std::string last;
    std::stop_source stop;
    const Progress progress([&](const ProgressState& state) { last = state.what; }, stop.get_token());
    std::atomic<double> ended = 0;
    const Stopwatch watch;
    std::jthread work([&] {
      (void)solveShot(shot.tracks, {}, progress);
      ended = watch.seconds();
    });
    std::this_thread::sleep_for(std::chrono::duration<double>(at));
    stop.request_stop();
    const double asked = watch.seconds();
    work.join();
    const double late = ended - asked;
    if (late > worst) worst = late, worst_at = at, doing = last;
  }
  fmt::print("stopped within {:.3f} s at the worst of 25 moments ({:.2f} s of {:.2f}, \"{}\")\n", worst, worst_at, all, doing);
}

}  // namespace
}  // namespace dusky::testing

int main(int count, char** words) {
  if (count > 1 && std::string(words[1]) == "cancel") {
    dusky::testing::cancelling(count > 2 ? std::atoi(words[2]) : 600);
    return 0;
  }
  fmt::print("frames  tracks sightings  placed      s     ms/frame  RMS px  slip px  path err turn deg peak MB\n");
  for (int i = 1; i < count; ++i) dusky::testing::run(std::atoi(words[i]));
  for (const int frames : {150, 600, 2400}) {
    if (count < 2) dusky::testing::run(frames);
  }
  return 0;
}
