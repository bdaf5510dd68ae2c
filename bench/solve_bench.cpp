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

Bundle bundleOf(const testing::SyntheticShot& shot) {
  Bundle bundle;
  bundle.cameras = shot.poses;
  bundle.lenses[0] = shot.plan.lens;
  for (const Track& track : shot.tracks.tracks) {
    for (const Observation& o : track.observations) bundle.observations.push_back({o.frame - 1, static_cast<int>(bundle.points.size()), o.position});
    bundle.points.push_back(shot.points[track.id - 1]);
  }
  return bundle;
}

void step(benchmark::State& state, const Bundle& bundle) {
  for (auto _ : state) {
    Bundle copy = bundle;
    benchmark::DoNotOptimize(adjust(copy, {.free_lens = {true, false, false, true}, .max_steps = 1}, {}));
  }
}

void oneAdjustmentStep(benchmark::State& state) { step(state, bundleOf(shotOf(state))); }
BENCHMARK(oneAdjustmentStep)->Args({60, 800})->Args({120, 2500})->Unit(benchmark::kMillisecond)->UseRealTime();

/// The same with what is known of the set: so many points on four planes; with a survey of them; tied to places with a distance from each to the next.
void stepWithPlanes(benchmark::State& state) {
  Bundle bundle = bundleOf(shotOf(state));
  for (int k = 0; k < 4; ++k) bundle.set.shapes.push_back(SetPlane{});
  for (int p = 0; p < state.range(2); ++p) bundle.set.on.push_back({p, p % 4, 1e3});
  step(state, bundle);
}
BENCHMARK(stepWithPlanes)->Args({120, 2500, 100})->Unit(benchmark::kMillisecond)->UseRealTime();

void stepWithSurvey(benchmark::State& state) {
  Bundle bundle = bundleOf(shotOf(state));
  bundle.set.shapes.push_back(SetWorld{});
  bundle.set.world = 0;
  for (int p = 0; p < state.range(2); ++p) bundle.set.in_world.push_back({p, bundle.points[p], Vec3::Constant(1e3)});
  step(state, bundle);
}
BENCHMARK(stepWithSurvey)->Args({120, 2500, 100})->Unit(benchmark::kMillisecond)->UseRealTime();

void stepWithDistances(benchmark::State& state) {
  Bundle bundle = bundleOf(shotOf(state));
  bundle.set.shapes.push_back(SetWorld{{}, true, false, false});
  bundle.set.world = 0;
  for (int p = 1; p < state.range(2); ++p) {
    const bool place = p % 2 == 1;  // every second point is tied to one
    const int at = 1 + p / 2, point = place ? p - 1 : p;
    if (place) bundle.set.shapes.push_back(SetPlace{bundle.points[p]}), bundle.set.on.push_back({p, at, 1e8});
    bundle.set.places_apart.push_back({point, place ? at : p / 2, (bundle.points[p] - bundle.points[p - 1]).norm(), 1e3, -1, true});
  }
  step(state, bundle);
}
BENCHMARK(stepWithDistances)->Args({120, 2500, 20})->Args({120, 2500, 100})->Unit(benchmark::kMillisecond)->UseRealTime();

void wholeSolve(benchmark::State& state) {
  const auto shot = shotOf(state);
  for (auto _ : state) benchmark::DoNotOptimize(solveShot(shot.tracks, {}, {}));
}
BENCHMARK(wholeSolve)->Args({60, 800})->Args({120, 2500})->Unit(benchmark::kMillisecond)->UseRealTime();
}  // namespace

BENCHMARK_MAIN();
