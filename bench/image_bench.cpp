// Decoding and pyramids of the demo shot, 1280x720.
#include <benchmark/benchmark.h>

#include "core/image/pyramid.h"
#include "core/media/footage.h"

namespace {
using namespace dusky;

void decode(benchmark::State& state) {
  auto source = openFootage(DUSKY_DEMO_DATA "/ferry-landing.mp4");
  int number = 1;
  for (auto _ : state) {
    benchmark::DoNotOptimize((*source)->read(number));
    number = number % 120 + 1;
  }
}
BENCHMARK(decode)->Unit(benchmark::kMillisecond);

void pyramid(benchmark::State& state) {
  auto source = openFootage(DUSKY_DEMO_DATA "/ferry-landing.mp4");
  const FloatPlane luma = (*source)->read(40)->luma;
  for (auto _ : state) benchmark::DoNotOptimize(buildPyramid(luma, 4));
}
BENCHMARK(pyramid)->Unit(benchmark::kMillisecond);

}  // namespace

BENCHMARK_MAIN();
