// The tracker's parts on the demo shot, 1280x720.
#include <benchmark/benchmark.h>

#include "core/base/memory.h"
#include "core/media/footage.h"
#include "core/track/follow_features.h"
#include "core/track/patch.h"
#include "core/track/reference.h"

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
  for (auto _ : state) benchmark::DoNotOptimize(Patch(luma, {640.3f, 360.7f}, 7));
}
BENCHMARK(cutPatch)->Unit(benchmark::kMicrosecond);

void alignPatch(benchmark::State& state) {
  const FloatPlane luma = demoLuma(40);
  const Patch patch(luma, {800.3f, 300.7f}, 7);
  for (auto _ : state) benchmark::DoNotOptimize(patch.align(luma, {801.1f, 299.9f}, 12));
}
BENCHMARK(alignPatch)->Unit(benchmark::kMicrosecond);

void cutReference(benchmark::State& state) {
  const FloatPlane luma = demoLuma(40);
  for (auto _ : state) benchmark::DoNotOptimize(Reference(luma, {640.3f, 360.7f}, static_cast<int>(state.range(0))));
}
BENCHMARK(cutReference)->Arg(11)->Arg(15)->Unit(benchmark::kMicrosecond);

/// From 0.7 px off.
void alignReference(benchmark::State& state) {
  const FloatPlane luma = demoLuma(40);
  Reference reference(luma, {800.3f, 300.7f}, static_cast<int>(state.range(0)));
  for (auto _ : state) benchmark::DoNotOptimize(reference.align(luma, {800.8f, 300.2f}, Eigen::Matrix2f::Identity()));
}
BENCHMARK(alignReference)->Arg(11)->Arg(15)->Unit(benchmark::kMicrosecond);

void followDemo(benchmark::State& state) {
  auto source = openFootage(DUSKY_DEMO_DATA "/ferry-landing.mp4");
  for (auto _ : state) {
    const auto tracks = followFeatures(**source, {.first_frame = 1, .last_frame = 120, .features = static_cast<int>(state.range(0))}, {});
    const TrackSummary& s = (*tracks)->summary;
    for (const auto& [name, seconds] :
         {std::pair("decode", s.decode_s), std::pair("detect", s.detect_s), std::pair("forward", s.forward_s), std::pair("back", s.backward_s)})
      state.counters[std::string(name) + "_ms"] = 1000 * seconds / s.frames;
    state.counters["frames_per_s"] = 120 / (*tracks)->summary.total_s;
  }
}
BENCHMARK(followDemo)->Arg(500)->Unit(benchmark::kMillisecond)->UseRealTime();

}  // namespace

int main(int argc, char** argv) {
  dusky::keepLargeBlocks();  // as both programs do
  benchmark::Initialize(&argc, argv);
  benchmark::RunSpecifiedBenchmarks();
}
