// Random shots of all kinds, solved with nothing said and judged by their truth: how many are right, how many are wrong, and how many of those without a word.
//   build/release/bench/trust_study [shots [first seed]]
#include <cstdlib>

#include "bench/trust_tally.h"
#include "core/base/progress.h"
#include "core/review/reviewed_solve.h"
#include "tests/support/best_possible.h"
#include "tests/support/judge_by_truth.h"
#include "tests/support/random_shot.h"

namespace dusky::testing {
namespace {

Outcome judge(const RandomShot& random) {
  const SyntheticShot shot = makeSyntheticShot(random.plan);
  const Stopwatch watch;
  const auto solved = reviewedSolve(shot.tracks, {}, {});
  const double seconds = watch.seconds();
  const Result<Comparison> truth = solved.ok() ? judgeByTruth(shot, **solved) : Result<Comparison>(solved.error());
  const Leeway leeway = [&] {
    const auto best = bestPossible(shot);
    if (!best.ok()) return LeftOpen{true, kUnknown};
    return LeftOpen{cannotTell(shot, *best, **solved), best->slip_sigma_px};
  };
  return outcomeOf(solved, truth, random.plan.noise_px, seconds, leeway);
}

}  // namespace

void study(int shots, std::uint64_t first) { runStudy<RandomShot>(shots, first, randomShot, judge); }

}  // namespace dusky::testing

int main(int argc, char** argv) { dusky::testing::study(argc > 1 ? std::atoi(argv[1]) : 100, argc > 2 ? std::strtoull(argv[2], nullptr, 10) : 1); }
