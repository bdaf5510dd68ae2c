// A mesh of two million triangles: read, prepared, picked on and laid on.
#include <benchmark/benchmark.h>

#include <cmath>

#include "core/base/atomic_file.h"
#include "core/base/random.h"
#include "core/mesh/mesh_fit.h"
#include "tests/support/made_mesh.h"
#include "tests/support/temporary_folder.h"

namespace dusky::testing {
namespace {

SetMesh hills() { return hillMesh(1000, 10); }

const MeshSurface& surface() {
  static const MeshSurfacePtr made = *MeshSurface::make(std::make_shared<const SetMesh>(hills()), {});
  return *made;
}

void readsFile(benchmark::State& state, const char* name, const std::string& bytes) {
  const TemporaryFolder folder;
  (void)writeFileAtomically(folder / name, bytes);
  for (auto _ : state) benchmark::DoNotOptimize(readSetMesh(folder / name, {}).ok());
}

void BM_ReadObj(benchmark::State& state) { readsFile(state, "hills.obj", objText(hills())); }
void BM_ReadPly(benchmark::State& state) { readsFile(state, "hills.ply", plyBytes(hills())); }
void BM_ReadGlb(benchmark::State& state) { readsFile(state, "hills.glb", glbBytes(hills())); }

void BM_Prepare(benchmark::State& state) {
  const auto mesh = std::make_shared<const SetMesh>(hills());
  for (auto _ : state) benchmark::DoNotOptimize(MeshSurface::make(mesh, {}).ok());
}

void BM_SimplifyAndCreases(benchmark::State& state) {
  const auto mesh = std::make_shared<const SetMesh>(hills());
  for (auto _ : state) {
    const SetMeshPtr drawn = simplified(mesh, 150000);
    benchmark::DoNotOptimize(creases(*drawn, 0.1, 40000).size());
  }
}

void BM_Pick(benchmark::State& state) {
  (void)surface();
  Random random(1);
  for (auto _ : state) {
    const Vec3 eye(5, 6, 5), at(10 * random.uniform(), 0, 10 * random.uniform());
    benchmark::DoNotOptimize(surface().hit(eye, at - eye));
  }
}

void BM_PickInCloud(benchmark::State& state) {
  auto cloud = std::make_shared<SetMesh>(hills());
  cloud->triangles.clear();
  const auto made = *MeshSurface::make(cloud, {});
  Random random(1);
  for (auto _ : state) {
    const Vec3 eye(5, 6, 5), at(10 * random.uniform(), 0, 10 * random.uniform());
    benchmark::DoNotOptimize(made->hit(eye, at - eye));
  }
}

/// Two thousand points, a few centimetres off.
void BM_LayOn(benchmark::State& state) {
  Random random(1);
  std::vector<Vec3> points;
  for (int i = 0; i < 2000; ++i) {
    const Vec3 at(10 * random.uniform(), 0, 10 * random.uniform());
    points.push_back(surface().hit(at + Vec3(0, 9, 0), {0, -1, 0})->at + Vec3(0.03, 0.05, -0.02));
  }
  for (auto _ : state) benchmark::DoNotOptimize(fitToMesh(points, {}, surface(), {}, {}).ok());
}

BENCHMARK(BM_ReadObj)->Unit(benchmark::kMillisecond);
BENCHMARK(BM_ReadPly)->Unit(benchmark::kMillisecond);
BENCHMARK(BM_ReadGlb)->Unit(benchmark::kMillisecond);
BENCHMARK(BM_Prepare)->Unit(benchmark::kMillisecond);
BENCHMARK(BM_SimplifyAndCreases)->Unit(benchmark::kMillisecond);
BENCHMARK(BM_Pick)->Unit(benchmark::kMicrosecond);
BENCHMARK(BM_PickInCloud)->Unit(benchmark::kMicrosecond);
BENCHMARK(BM_LayOn)->Unit(benchmark::kMillisecond);

}  // namespace
}  // namespace dusky::testing

BENCHMARK_MAIN();
