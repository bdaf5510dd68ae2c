// The solver on shots without pictures: cost by frames and tracks.
#include <benchmark/benchmark.h>

#include "core/adjust/bundle.h"
#include "core/solve/solve_shot.h"
#include "tests/support/synthetic_shot.h"

namespace {
using namespace dusky;

testing::SyntheticShot shotOf(const benchmark::State& state) {
  return testing::makeSyntheticShot({.frames = static_cast<int>(state.range(0)), .points = static_cast<int>(state.range(1)), .noise_px = 0.2, .life = 30});
}

void oneAdjustmentStep(benchmark::State& state) {
  const auto shot = shotOf(state);
  Bundle bundle;
  bundle.cameras = shot.poses;
  bundle.lenses[0] = shot.plan.lens;
  for (const Track& track : shot.tracks.tracks) {
    for (const Observation& o : track.observations) bundle.observations.push_back({o.frame - 1, static_cast<int>(bundle.points.size()), o.position});
    bundle.points.push_back(shot.points[track.id - 1]);
  }
  for (auto _ : state) {
    Bundle copy = bundle;
    benchmark::DoNotOptimize(adjust(copy, {.free_lens = {true, false, false, true}, .max_steps = 1}, {}));
  }
}
BENCHMARK(oneAdjustmentStep)->Args({60, 800})->Args({120, 2500})->Unit(benchmark::kMillisecond)->UseRealTime();

void wholeSolve(benchmark::State& state) {
  const auto shot = shotOf(state);
  for (auto _ : state) benchmark::DoNotOptimize(solveShot(shot.tracks, {}, {}));
}
BENCHMARK(wholeSolve)->Args({60, 800})->Args({120, 2500})->Unit(benchmark::kMillisecond)->UseRealTime();
}  // namespace

BENCHMARK_MAIN();
