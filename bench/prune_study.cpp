// Made-up shots with bad tracks (that slide, wander, or belong to something that moves), solved, and then pruned: does the camera get better?
//   build/release/bench/prune_study [shots [first seed]]
#include <fmt/format.h>

#include <cstdlib>

#include "core/base/random.h"
#include "core/review/prune.h"
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

struct Tally {
  int same = 0, better = 0, worse = 0, much_worse = 0;
  void operator()(double before, double after) {
    if (!(std::abs(after / before - 1) > 0.005)) return void(++same);
    ++(after < before ? better : worse);
    much_worse += after > 1.05 * before;
  }
};

struct Counts {
  int bad = 0, bad_kept = 0, good_lost = 0;
  std::vector<int> ids;  ///< Of the bad ones.
};

Counts countBad(const SyntheticShot& shot, const Solution& solution) {
  Counts counts;
  for (const Track& track : shot.tracks.tracks) {
    const bool bad = shot.outlier[static_cast<std::size_t>(track.id - 1)], kept = solution.find(track.id)->state == TrackState::Kept;
    counts.bad += bad, counts.bad_kept += bad && kept, counts.good_lost += !bad && !kept;
    if (bad) counts.ids.push_back(track.id);
  }
  return counts;
}

}  // namespace

void study(int shots, std::uint64_t first) {
  Tally tally, oracle_tally;
  for (std::uint64_t seed = first; seed < first + static_cast<std::uint64_t>(shots); ++seed) {
    const SyntheticShot shot = makeSyntheticShot(planOf(seed));
    const auto solved = reviewedSolve(shot.tracks, {}, {});
    const auto pruned = solved.ok() ? pruneWhileItHelps(*solved, shot.tracks, {}, {}, {}) : Result<PruneRun>(solved.error());
    if (!pruned.ok()) {
      fmt::print("{}: {}\n", seed, pruned.error().message);
      continue;
    }
    const Counts counts = countBad(shot, **solved);
    SolveOptions without_bad;
    without_bad.set_aside = counts.ids;
    const auto oracle = reviewedSolve(shot.tracks, without_bad, {}, {}, *solved);
    std::ptrdiff_t gone_bad = 0, better = 0;
    for (const int id : pruned->options.set_aside) gone_bad += shot.outlier[static_cast<std::size_t>(id - 1)];
    for (const PruneRound& round : pruned->rounds) better += round.better;
    const double slip = slipOf(shot, **solved), slip_pruned = slipOf(shot, *pruned->best), slip_oracle = oracle.ok() ? slipOf(shot, **oracle) : kUnknown;
    tally(slip, slip_pruned), oracle_tally(slip, slip_oracle);
    fmt::print(
        "{}: {} bad of {} ({} kept, {} good ones lost); slip {:.3f}, pruned {:.3f} ({} rounds, {} better, {} gone, {} of them bad), without the bad ones "
        "{:.3f} px\n",
        seed, counts.bad, shot.tracks.tracks.size(), counts.bad_kept, counts.good_lost, slip, slip_pruned, pruned->rounds.size(), better,
        pruned->options.set_aside.size(), gone_bad, slip_oracle);
    for (const PruneRound& round : pruned->rounds)
      fmt::print("   {} go, {} spared: {}: {}\n", round.choice.tracks.size(), round.choice.spared.size(), round.better ? "better" : "no better", round.why);
    std::fflush(stdout);
  }
  for (const auto& [name, t] : {std::pair{"pruned", tally}, {"without the bad ones", oracle_tally}})
    fmt::print("{}: better {}, the same {}, worse {} ({} by more than 5 %)\n", name, t.better, t.same, t.worse, t.much_worse);
}

}  // namespace dusky::testing

int main(int argc, char** argv) { dusky::testing::study(argc > 1 ? std::atoi(argv[1]) : 20, argc > 2 ? std::strtoull(argv[2], nullptr, 10) : 1); }
