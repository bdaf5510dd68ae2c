// Random shots of all kinds, solved with nothing said and judged by their truth: how many are right, how many are wrong, and how many of those without a word.
//   build/release/bench/trust_study [shots [first seed]] [--list]
#include <fmt/format.h>

#include <cstdlib>
#include <map>

#include "core/base/progress.h"
#include "core/review/reviewed_solve.h"
#include "core/review/verdict.h"
#include "tests/support/best_possible.h"
#include "tests/support/judge_by_truth.h"
#include "tests/support/random_shot.h"

namespace dusky::testing {
namespace {

struct Tally {
  int shots = 0, right = 0, refused = 0, wrong = 0, open = 0, silent = 0, doubted = 0;
  void add(const Tally& o) {
    shots += o.shots, right += o.right, refused += o.refused, wrong += o.wrong, open += o.open, silent += o.silent, doubted += o.doubted;
  }
};

struct Outcome {
  Tally tally;
  double seconds = 0;
  bool zoom_found = false, readout_found = false;
  std::string line;
};

Outcome judge(std::uint64_t seed) {
  const RandomShot random = randomShot(seed);
  const SyntheticShot shot = makeSyntheticShot(random.plan);
  const Stopwatch watch;
  const auto solved = reviewedSolve(shot.tracks, {}, {});
  Outcome out{.tally = {.shots = 1}, .seconds = watch.seconds(), .line = {}};
  if (!solved.ok()) {
    out.tally.refused = 1;
    out.line = "refused: " + solved.error().message;
    return out;
  }
  const Solution& s = **solved;
  const auto truth = judgeByTruth(shot, s);
  const Verdict verdict = judgeSolution(s);
  const double slip = truth.ok() ? truth->slip_rms_px : 1e9;
  const double limit_px = slipTolerance(random.plan.noise_px);
  const bool right = slip <= limit_px, trusted = verdict.level == TrustLevel::Trust;
  out.tally.right = right, out.tally.wrong = !right;
  // Where the best that can be reached from the truth is off as well, a camera that is not trusted is the right answer.
  if (!right && !trusted) {
    const auto best = bestPossible(shot);
    out.tally.open = !best.ok() || best->slip_rms_px > limit_px;
  }
  out.tally.silent = !right && trusted, out.tally.doubted = right && !trusted;
  out.zoom_found = s.zooms(), out.readout_found = s.readout != 0;
  out.line = fmt::format(
      "{} {:6} slip {:8.3f} rms {:.3f} floor {:.3f} explained {:.2f} sigma {:.3f} focal {:.3f} halves {:.3f} rival {:.3f} {:.1f} {:.0f} {:.2f} beyond {:.3f} "
      "drift {:.3f} "
      "fsig {:.4f} lsig {:.2f} {} zoom {:d} readout {:.2f} {:.1f} s | {}",
      right            ? "right"
      : out.tally.open ? "open "
                       : "WRONG",
      describe(verdict.level), slip, s.rms_px, verdict.noise_floor_px, verdict.explained_share, s.evidence.slip_sigma_px, s.evidence.focal_slip_px,
      s.evidence.stability_px, s.evidence.rival.share, s.evidence.rival.gain, s.evidence.rival.unknowns, s.evidence.rival.slip_px,
      s.evidence.beyond_infinity_share, s.evidence.noise_over_time_px, s.evidence.focal_sigma_share, s.cameras.front().lens_sigma_px, describe(s.motion),
      s.zooms(), s.readout, out.seconds, verdict.sentence);
  return out;
}

void print(const std::string& name, const Tally& t) {
  fmt::print(
      "{:12} {:5} shots  right {:5} ({:5.1f} %)  refused {:3}  wrong {:4}, open {:3}  wrong and trusted {:3} ({:.1f} %)  right, not trusted {:4} ({:.1f} %)\n",
      name, t.shots, t.right, 100.0 * t.right / t.shots, t.refused, t.wrong, t.open, t.silent, 100.0 * t.silent / t.shots, t.doubted,
      100.0 * t.doubted / std::max(1, t.right));
}

}  // namespace

void study(int shots, std::uint64_t first) {
  std::map<std::string, Tally> kinds;
  Tally all;
  double seconds = 0;
  int zooms = 0, zooms_found = 0, zooms_claimed = 0, shutters = 0, shutters_found = 0, shutters_claimed = 0;
  for (int i = 0; i < shots; ++i) {
    const std::uint64_t seed = first + static_cast<std::uint64_t>(i);
    const RandomShot random = randomShot(seed);
    const Outcome outcome = judge(seed);
    fmt::print("{:5} {} | {}\n", seed, random.text(), outcome.line);
    std::fflush(stdout);
    kinds[random.kind].add(outcome.tally), all.add(outcome.tally);
    seconds += outcome.seconds;
    const bool zoom = random.zoom > 1, shutter = random.plan.readout > 0;
    zooms += zoom, zooms_found += zoom && outcome.zoom_found, zooms_claimed += !zoom && outcome.zoom_found;
    shutters += shutter, shutters_found += shutter && outcome.readout_found, shutters_claimed += !shutter && outcome.readout_found;
  }
  fmt::print("\n");
  for (const auto& [kind, tally] : kinds) print(kind, tally);
  print("all", all);
  fmt::print("zooms found {} of {}, claimed where there is none {}; rolling shutters found {} of {}, claimed {}; {:.1f} s a shot\n", zooms_found, zooms,
             zooms_claimed, shutters_found, shutters, shutters_claimed, seconds / shots);
}

}  // namespace dusky::testing

int main(int argc, char** argv) { dusky::testing::study(argc > 1 ? std::atoi(argv[1]) : 100, argc > 2 ? std::strtoull(argv[2], nullptr, 10) : 1); }
