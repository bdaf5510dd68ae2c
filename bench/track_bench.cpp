// The tracker's parts on the demo shot, 1280x720.
#include <benchmark/benchmark.h>

#include "core/media/footage.h"
#include "core/track/follow_features.h"
#include "core/track/patch.h"

namespace {
using namespace dusky;

FloatPlane demoLuma(int number) {
  auto source = openFootage(DUSKY_DEMO_DATA "/ferry-landing.mp4");
  return (*source)->read(number)->luma;
}

void detect(benchmark::State& state) {
  const Pyramid pyramid = buildPyramid(demoLuma(40), 4);
  for (auto _ : state) benchmark::DoNotOptimize(detectFeatures(pyramid, {}, {.count = 600}));
}
BENCHMARK(detect)->Unit(benchmark::kMillisecond);

void cutPatch(benchmark::State& state) {
  const FloatPlane luma = demoLuma(40);
  const auto motion = state.range(0) ? Patch::Motion::Affine : Patch::Motion::Shift;
  for (auto _ : state) benchmark::DoNotOptimize(Patch(luma, {640.3f, 360.7f}, state.range(0) ? 10 : 7, motion));
}
BENCHMARK(cutPatch)->Arg(0)->Arg(1)->Unit(benchmark::kMicrosecond);

void alignPatch(benchmark::State& state) {
  const FloatPlane luma = demoLuma(40);
  const Patch patch(luma, {800.3f, 300.7f}, state.range(0) ? 10 : 7, state.range(0) ? Patch::Motion::Affine : Patch::Motion::Shift);
  for (auto _ : state) benchmark::DoNotOptimize(patch.align(luma, {{801.1f, 299.9f}, Eigen::Matrix2f::Identity()}, 12));
}
BENCHMARK(alignPatch)->Arg(0)->Arg(1)->Unit(benchmark::kMicrosecond);

void followTwentyFrames(benchmark::State& state) {
  auto source = openFootage(DUSKY_DEMO_DATA "/ferry-landing.mp4");
  for (auto _ : state) {
    const auto tracks = followFeatures(**source, {.first_frame = 30, .last_frame = 49, .features = static_cast<int>(state.range(0))}, {});
    state.counters["frames_per_s"] = 20 / (*tracks)->summary.total_s;
  }
}
BENCHMARK(followTwentyFrames)->Arg(300)->Arg(600)->Unit(benchmark::kMillisecond)->UseRealTime();

}  // namespace

BENCHMARK_MAIN();
