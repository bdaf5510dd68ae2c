// Dense points of rendered shots drawn at random, under their true cameras: how true and how complete they are, and what became of the worst.
//   build/release/bench/dense_study [shots [first seed [quality: draft, good, fine [shaken, px]]]]
#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <cstdlib>
#include <string_view>

#include "bench/dense_tally.h"
#include "bench/random_pictures.h"
#include "core/base/numbers.h"
#include "core/base/progress.h"
#include "core/base/random.h"
#include "tests/support/made_delivery.h"

namespace dusky::testing {
namespace {

/// Turns each camera by chance, so that what it sees moves by so many px.
void shake(Solution& solution, double by_px, std::uint64_t seed) {
  Random random(seed);
  for (SolvedFrame& frame : solution.frames) {
    const double by = by_px / solution.lensAt(frame).focal_px;
    const Vec3 turn(by * random.normal(), by * random.normal(), by * random.normal());
    frame.pose.world_from_camera = frame.pose.world_from_camera * rotationFromVector(turn);
  }
}

void study(int shots, std::uint64_t first, DenseQuality quality, double shaken_px) {
  DenseTally sum;
  int done = 0, refused = 0;
  for (std::uint64_t seed = first; seed < first + static_cast<std::uint64_t>(shots); ++seed) {
    const RandomPictures drawn = randomPictures(seed);
    MadeDelivery made(drawn.plan);
    shake(made.solution, shaken_px, seed);
    const Stopwatch watch;
    const auto dense = makeDense({made.solution, made.input().open_footage}, {.quality = quality}, {});
    const double seconds = watch.seconds();
    if (!dense.ok()) {
      ++refused, fmt::print("{:4} {}\n     refused: {}\n", seed, drawn.text(), dense.error().message);
      continue;
    }
    const DenseTally tally = tallyOf(made.shot(), *dense, 2 - static_cast<int>(quality));
    fmt::print("{:4} {}\n     {:2} keyframes, {:6} points in {:.1f} s: accurate {:.1f} %, complete {:.1f} %, median {:.3f} %, floating {:.2f} %\n", seed,
               drawn.text(), dense->frames.size(), dense->cloud.points.size(), seconds, 100 * tally.accurate, 100 * tally.complete, 100 * tally.median,
               100 * tally.floating);
    std::vector<double> off;
    for (const DenseFrame& frame : dense->frames) {
      if (!std::isnan(frame.off_px)) off.push_back(frame.off_px);
    }
    if (!off.empty()) fmt::print("     pictures off {:.3f} px in the middle, {:.3f} px at most\n", median(off), *std::max_element(off.begin(), off.end()));
    std::fflush(stdout);
    ++done, sum.accurate += tally.accurate, sum.complete += tally.complete, sum.median += tally.median, sum.floating += tally.floating;
  }
  if (done > 0)
    fmt::print("\nmean of {}: accurate {:.1f} %, complete {:.1f} %, median {:.3f} %, floating {:.2f} %; refused {}\n", done, 100 * sum.accurate / done,
               100 * sum.complete / done, 100 * sum.median / done, 100 * sum.floating / done, refused);
}

}  // namespace
}  // namespace dusky::testing

int main(int argc, char** argv) {
  using dusky::DenseQuality;
  const std::string_view asked = argc > 3 ? argv[3] : "good";
  const DenseQuality quality = asked == "draft" ? DenseQuality::Draft : asked == "fine" ? DenseQuality::Fine : DenseQuality::Good;
  dusky::testing::study(argc > 1 ? std::atoi(argv[1]) : 30, argc > 2 ? std::strtoull(argv[2], nullptr, 10) : 1, quality, argc > 4 ? std::atof(argv[4]) : 0);
}
