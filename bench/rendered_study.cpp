// Random rendered shots, tracked and solved with nothing said and judged by their truth: rolling shutters, motion blur, focusing that breathes, zooms, things
// that move, faces that mirror, noise.
//   build/release/bench/rendered_study [shots [first seed]]
#include <cstdlib>

#include "bench/random_pictures.h"
#include "bench/trust_tally.h"
#include "core/base/progress.h"
#include "core/review/reviewed_solve.h"
#include "core/track/follow_features.h"
#include "tests/support/judge_by_truth.h"

namespace dusky::testing {
namespace {

Outcome judge(const RandomPictures& random) {
  MadeShot made(random.plan);
  const Stopwatch watch;
  const auto tracks = followFeatures(made, {}, {});
  const auto solved = tracks.ok() ? reviewedSolve(**tracks, {}, {}) : Result<SolutionPtr>(tracks.error());
  const double seconds = watch.seconds();
  const Result<Comparison> truth = solved.ok() ? judgeByTruth(made, **solved) : Result<Comparison>(solved.error());
  return outcomeOf(solved, truth, 0.1, seconds, [] { return LeftOpen{}; });
}

}  // namespace

void study(int shots, std::uint64_t first) { runStudy<RandomPictures>(shots, first, randomPictures, judge); }

}  // namespace dusky::testing

int main(int argc, char** argv) { dusky::testing::study(argc > 1 ? std::atoi(argv[1]) : 60, argc > 2 ? std::strtoull(argv[2], nullptr, 10) : 1); }
