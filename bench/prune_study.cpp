// Made-up shots with bad tracks (that slide, wander, or belong to something that moves), solved, and then pruned: does the camera get better?
//   build/release/bench/prune_study [shots [first seed]]
#include <fmt/format.h>

#include <cstdlib>

#include "core/base/random.h"
#include "core/review/reviewed_solve.h"
#include "tests/support/judge_by_truth.h"

namespace dusky::testing {
namespace {

SyntheticPlan planOf(std::uint64_t seed) {
  Random random(seed * 7919);
  SyntheticPlan plan{.frames = 40 + random.index(60), .points = 200 + random.index(250), .noise_px = 0.1 + 0.3 * random.uniform()};
  plan.seed = seed;
  plan.life = 15 + random.index(30);
  plan.outlier_share = 0.15 * random.uniform();
  plan.slide_share = 0.1 + 0.25 * random.uniform();
  plan.slide_px = 0.5 + 4 * random.uniform();
  if (random.uniform() < 0.4) {
    plan.mover_share = 0.05 + 0.15 * random.uniform();
    plan.mover = [](int i) { return Pose{Eigen::Quaterniond(Eigen::AngleAxisd(0.004 * i, Vec3::UnitY())), Vec3(0.02 * i, 0, 0)}; };
  }
  return plan;
}

double slipOf(const SyntheticShot& shot, const Solution& solution) {
  const auto judged = judgeByTruth(shot, solution);
  return judged.ok() ? judged->slip_rms_px : kUnknown;
}

}  // namespace

void study(int shots, std::uint64_t first) {
  for (std::uint64_t seed = first; seed < first + static_cast<std::uint64_t>(shots); ++seed) {
    const SyntheticShot shot = makeSyntheticShot(planOf(seed));
    const auto solved = reviewedSolve(shot.tracks, {}, {});
    if (!solved.ok()) {
      fmt::print("{}: not solved: {}\n", seed, solved.error().message);
      continue;
    }
    SolveOptions options;
    int bad = 0, bad_kept = 0, good_lost = 0;
    for (std::size_t t = 0; t < shot.tracks.tracks.size(); ++t) {
      const int id = shot.tracks.tracks[t].id;
      const SolvedTrack* track = (*solved)->find(id);
      const bool wrong = shot.outlier[static_cast<std::size_t>(id - 1)], kept = track->state == TrackState::Kept;
      bad += wrong, bad_kept += wrong && kept, good_lost += !wrong && !kept;
      if (wrong) options.set_aside.push_back(id);
    }
    const auto oracle = reviewedSolve(shot.tracks, options, {}, {}, *solved);
    fmt::print(
        "{}: {} frames, {} tracks, {} bad ({} kept), {} good ones lost; noise {:.2f}, slides {:.1f} px; RMS {:.3f}, slip {:.3f} px; without the bad ones "
        "{:.3f} px\n",
        seed, shot.plan.frames, shot.tracks.tracks.size(), bad, bad_kept, good_lost, shot.plan.noise_px, shot.plan.slide_px, (*solved)->rms_px,
        slipOf(shot, **solved), oracle.ok() ? slipOf(shot, **oracle) : kUnknown);
    std::fflush(stdout);
  }
}

}  // namespace dusky::testing

int main(int argc, char** argv) { dusky::testing::study(argc > 1 ? std::atoi(argv[1]) : 20, argc > 2 ? std::strtoull(argv[2], nullptr, 10) : 1); }
