// The figures of docs/accuracy.md: made-up shots of every usual motion, tracked and solved, judged by their exact truth.
//   build/release/bench/accuracy [seeds]
#include <fmt/format.h>

#include "core/deliver/compare.h"
#include "core/pipeline/steps.h"
#include "tests/support/shot_maker.h"

namespace {
using namespace dusky;

struct Named {
  const char* name;
  testing::ShotKind kind;
};

void line(const Named& shot, int seed) {
  testing::ShotPlan plan = testing::planShot(shot.kind);
  plan.frames = 48;
  plan.seed = seed;
  testing::MadeShot made(plan);
  const Stopwatch watch;
  const auto tracks = followFeatures(made, {}, {});
  if (!tracks.ok()) return fmt::print("{:10} {}\n", shot.name, tracks.error().message);
  const auto solved = solveCamera(**tracks, {.seed = seed}, {});
  if (!solved.ok()) return fmt::print("{:10} {:4} {}\n", shot.name, seed, solved.error().message);
  const double seconds = watch.seconds();
  const auto scene = orientScene(**solved, {});
  const auto report = parseShotRecord(reportJson({made.info(), **solved, *scene, {}, {}}), "report");
  const auto truth = parseShotRecord(made.truthJson(), "truth");
  const auto c = compareShots(*report, *truth);
  if (!c.ok()) return fmt::print("{:10} {}\n", shot.name, c.error().message);
  fmt::print("{:10} {:4} {:3}/{:<3} {:6}/{:<6} {:7.3f} {:8.3f} {:7.3f} {:7.3f} {:8.5f} {:8.2f} {:7.1f}\n", shot.name, seed, c->frames_solved, c->frames_true,
             (*solved)->keptTracks(), (*solved)->tracks.size(), (*solved)->rms_px, (*solved)->holdout_rms_px, c->slip_rms_px, c->slip_p95_px, c->centre_rms / c->path_length,
             100 * c->focal_error_share, seconds);
}

}  // namespace

int main(int argc, char** argv) {
  const int seeds = argc > 1 ? std::atoi(argv[1]) : 1;
  using enum testing::ShotKind;
  fmt::print("640x360, 48 frames, sigma of noise 1 grey level\n{:10} {:4} {:7} {:13} {:7} {:8} {:7} {:7} {:8} {:8} {:7}\n", "shot", "seed", "frames", "tracks kept", "RMS px", "hold px",
             "slip px", "p95 px", "path err", "focal %", "s");
  for (const Named& shot : {Named{"free", Free}, {"dolly", Dolly}, {"orbit", Orbit}, {"planar", Planar}, {"moving", Moving}, {"nodal", Nodal}, {"still", Still}, {"zoom", Zoom}}) {
    for (int seed = 1; seed <= seeds; ++seed) line(shot, seed);
  }
}
