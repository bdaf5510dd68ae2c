// What saving and opening a project costs, for a solve of the demo's size.
#include <benchmark/benchmark.h>

#include "core/project/result_codec.h"
#include "tests/support/synthetic_shot.h"

namespace {
using namespace dusky;

const testing::SyntheticShot& shot() {
  static const testing::SyntheticShot made = testing::makeSyntheticShot({.frames = 120, .points = 3000, .noise_px = 0.2, .life = 25});
  return made;
}

void encodeTracks(benchmark::State& state) {
  for (auto _ : state) benchmark::DoNotOptimize(encode(shot().tracks));
}
BENCHMARK(encodeTracks)->Unit(benchmark::kMillisecond);

void encodeSolution(benchmark::State& state) {
  const Solution solution = testing::perfectSolution(shot());
  for (auto _ : state) benchmark::DoNotOptimize(encode(solution));
}
BENCHMARK(encodeSolution)->Unit(benchmark::kMillisecond);

void decodeBoth(benchmark::State& state) {
  const std::string tracks = encode(shot().tracks), solution = encode(testing::perfectSolution(shot()));
  for (auto _ : state) {
    benchmark::DoNotOptimize(decodeTracks(tracks));
    benchmark::DoNotOptimize(decodeSolution(solution));
  }
}
BENCHMARK(decodeBoth)->Unit(benchmark::kMillisecond);

}  // namespace

BENCHMARK_MAIN();
