// One depth map of 640 x 360 px from five views, beside a plain plane sweep: time, and how true.
#include <benchmark/benchmark.h>

#include <memory>

#include "bench/plain_sweep.h"
#include "core/dense/depth_search.h"
#include "tests/support/true_depth.h"

namespace dusky::testing {
namespace {

struct Views {
  explicit Views(ShotKind kind) : shot(plan(kind)), truth(trueDepth(shot, 15)) {
    for (const int index : {15, 10, 20, 5, 25}) views.push_back(straightView(shot, index));
    for (std::size_t k = 1; k < views.size(); ++k) neighbours.push_back(&views[k]), pictures.push_back(&views[k].front());
  }
  static ShotPlan plan(ShotKind kind) {
    ShotPlan made = planShot(kind);
    made.samples = 2, made.lens = Lens::simple(640, 360, 560);
    return made;
  }
  MadeShot shot;
  TrueDepth truth;
  std::vector<std::vector<MatchPicture>> views;
  std::vector<const std::vector<MatchPicture>*> neighbours;
  std::vector<const MatchPicture*> pictures;
};

const Views& viewsOf(benchmark::State& state) {
  static constexpr std::array kKinds = {ShotKind::Free, ShotKind::Dolly, ShotKind::Orbit};
  static std::array<std::unique_ptr<Views>, 3> made;
  auto& views = made[static_cast<std::size_t>(state.range(0))];
  if (!views) views = std::make_unique<Views>(kKinds[static_cast<std::size_t>(state.range(0))]);
  return *views;
}

void tell(benchmark::State& state, const Views& views, const FloatPlane& depth) {
  static constexpr std::array kNames = {"walk", "dolly", "orbit"};
  const DepthErrors errors = views.truth.errorsOf(depth);
  state.SetLabel(kNames[static_cast<std::size_t>(state.range(0))]);
  state.counters["within_1_percent"] = errors.within_1_percent, state.counters["median_percent"] = 100 * errors.median;
}

void depthMap(benchmark::State& state) {
  const Views& views = viewsOf(state);
  DepthMap map;
  for (auto _ : state) map = searchDepth(views.views.front(), views.neighbours, views.truth.range(), {.noise = 1}, {});
  tell(state, views, map.depth);
}

void plainPlaneSweep(benchmark::State& state) {
  const Views& views = viewsOf(state);
  FloatPlane depth;
  for (auto _ : state) depth = plainSweep(views.views.front().front(), views.pictures, views.truth.range());
  tell(state, views, depth);
}

BENCHMARK(depthMap)->DenseRange(0, 2)->Unit(benchmark::kMillisecond)->UseRealTime();
BENCHMARK(plainPlaneSweep)->DenseRange(0, 2)->Unit(benchmark::kMillisecond)->UseRealTime();

}  // namespace
}  // namespace dusky::testing

BENCHMARK_MAIN();
