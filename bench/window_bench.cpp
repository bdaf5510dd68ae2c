// Frame times of the window, under Xvfb with software GL:
//   LIBGL_ALWAYS_SOFTWARE=1 xvfb-run -a -s "-screen 0 1600x1000x24" build/release/bench/window_bench
#include <benchmark/benchmark.h>

#include <QApplication>
#include <QMouseEvent>
#include <QTemporaryDir>
#include <fstream>
#include <map>

#include "apps/desktop/closeup/closeup_view.h"
#include "apps/desktop/errormap/error_map.h"
#include "apps/desktop/paint/theme.h"
#include "apps/desktop/plate/plate_view.h"
#include "apps/desktop/space/space_view.h"
#include "core/pipeline/steps.h"
#include "core/track/track_files.h"
#include "tests/apps/desktop/window_driver.h"
#include "tests/support/made_mesh.h"
#include "tests/support/synthetic_shot.h"

namespace {
using namespace dusky;
using desktop::MainWindow;

/// A window on a solved shot without pictures, 1280x800.
class SolvedWindow {
 public:
  SolvedWindow(int frames, int points, int life)
      : shot_(testing::makeSyntheticShot({.frames = frames, .points = points, .noise_px = 0.2, .step = 0.03, .life = life})) {
    const std::string path = (folder_.path() + "/tracks.json").toStdString();
    std::ofstream(path) << tracksToJson(shot_.tracks);
    testing::showWindow(window);
    window.open(QString::fromStdString(path));
    testing::waitForJobs(window);
    window.session().jobs.runTracks();
    testing::waitForJobs(window);
    desktop::DocumentModel& model = window.session().model;
    auto solution = std::make_shared<Solution>(testing::perfectSolution(shot_));
    for (SolvedTrack& track : solution->tracks) track.state = TrackState::Kept;
    model.takeSolution(solution, solveKeys(model.document(), model.workspace().footage(), model.workspace().followedKey()));
    testing::waitUntil([&] { return window.session().facts.current(); });
    QApplication::processEvents();
  }
  QString save() {
    const QString path = folder_.path() + "/shot.moth";
    (void)window.session().model.saveAs(path);
    return path;
  }
  MainWindow window;

 private:
  QTemporaryDir folder_;
  testing::SyntheticShot shot_;
};

/// Made when they are first asked for, gone before the application is.
std::map<std::string, std::unique_ptr<SolvedWindow>>& shots() {
  static std::map<std::string, std::unique_ptr<SolvedWindow>> made;
  return made;
}
SolvedWindow& shot(const char* name, int frames, int points, int life) {
  auto& made = shots()[name];
  if (!made) made = std::make_unique<SolvedWindow>(frames, points, life);
  return *made;
}
SolvedWindow& longShot() { return shot("long", 2000, 5000, 160); }
SolvedWindow& manyInAFrame() { return shot("many in a frame", 120, 1500, 0); }
SolvedWindow& manyPoints() { return shot("many points", 480, 20000, 40); }

/// The error map of the long shot, filling the window for as long as this lives.
class MapAlone {
 public:
  MapAlone() : window_(longShot().window), map(window_.errorMap()) {
    window_.fillWith(desktop::ViewPlace::Below);
    QApplication::processEvents();
  }
  ~MapAlone() {
    map.showAll();
    window_.fillWith(desktop::ViewPlace::Below);
  }
  QPointF middle() const { return QRectF(map.rect()).center(); }

 private:
  MainWindow& window_;

 public:
  desktop::ErrorMap& map;
};

void mapScrollsEnlarged(benchmark::State& state) {
  MapAlone alone;
  testing::turnWheel(alone.map, alone.middle(), 12, Qt::ControlModifier);
  testing::turnWheel(alone.map, alone.middle(), 3, Qt::ShiftModifier);
  int turn = 0;
  for (auto _ : state) {
    testing::turnWheel(alone.map, alone.middle(), ++turn % 40 < 20 ? 1 : -1);
    alone.map.repaint();
  }
}
BENCHMARK(mapScrollsEnlarged)->Unit(benchmark::kMillisecond);

void mapZoomsFromTheWholeShot(benchmark::State& state) {
  MapAlone alone;
  int turn = 0;
  for (auto _ : state) {
    testing::turnWheel(alone.map, alone.middle(), turn++ % 8 < 4 ? 1 : -1, Qt::ControlModifier | Qt::ShiftModifier);
    alone.map.repaint();
  }
}
BENCHMARK(mapZoomsFromTheWholeShot)->Unit(benchmark::kMillisecond);

void plateStepsWith1500Tracks(benchmark::State& state) {
  MainWindow& window = manyInAFrame().window;
  int frame = 0;
  for (auto _ : state) {
    window.session().playback.setFrame(1 + ++frame % 120);
    window.plate().repaint();
  }
}
BENCHMARK(plateStepsWith1500Tracks)->Unit(benchmark::kMillisecond);

/// One step of the playhead in everything that is on the screen.
void allViewsStepWith20000Points(benchmark::State& state) {
  MainWindow& window = manyPoints().window;
  int frame = 0;
  for (auto _ : state) {
    window.session().playback.setFrame(1 + ++frame % 480);
    QApplication::processEvents();
  }
}
BENCHMARK(allViewsStepWith20000Points)->Unit(benchmark::kMillisecond);

/// Turns Space by a px a time.
void turnSpace(desktop::SpaceView& space, benchmark::State& state) {
  const QPointF middle = QRectF(space.rect()).center();
  QTest::mousePress(&space, Qt::RightButton, {}, middle.toPoint());
  int turn = 0;
  for (auto _ : state) {
    const QPointF at = middle + QPointF(++turn % 60, 0);
    QMouseEvent move(QEvent::MouseMove, at, space.mapToGlobal(at), Qt::NoButton, Qt::RightButton, {});
    QApplication::sendEvent(&space, &move);
    QApplication::processEvents();
  }
  QTest::mouseRelease(&space, Qt::RightButton, {}, middle.toPoint());
}

void spaceTurnsWith20000Points(benchmark::State& state) { turnSpace(manyPoints().window.space(), state); }
BENCHMARK(spaceTurnsWith20000Points)->Unit(benchmark::kMillisecond);

void spaceTurnsWithAMeshOf2000000Triangles(benchmark::State& state) {
  SolvedWindow& shown = manyInAFrame();
  const QTemporaryDir folder;
  const std::string path = (folder.path() + "/hills.glb").toStdString();
  std::ofstream(path, std::ios::binary) << testing::glbBytes(testing::hillMesh(1000, 10));
  shown.window.useMesh(QString::fromStdString(path));
  testing::waitUntil([&] { return shown.window.session().mesh.mesh().surface != nullptr; });
  shown.window.session().view.setMeshStyle(static_cast<desktop::ViewSettings::MeshStyle>(state.range(0)));
  QApplication::processEvents();
  turnSpace(shown.window.space(), state);
  shown.window.session().model.undo();
}
BENCHMARK(spaceTurnsWithAMeshOf2000000Triangles)->Arg(0)->Arg(1)->Arg(2)->Unit(benchmark::kMillisecond);

/// Pointing at one track after the other, with all views repainted for it.
void hover(benchmark::State& state) {
  MainWindow& window = manyPoints().window;
  int row = 0;
  for (auto _ : state) {
    window.session().selection.hover(window.errorMap().trackAt(++row % 1000), 100);
    QApplication::processEvents();
  }
  window.session().selection.hover(0);
}
BENCHMARK(hover)->Unit(benchmark::kMillisecond);

/// A project of 2000 frames and 5000 tracks, until its solve is on the screen.
void openProject(benchmark::State& state) {
  MainWindow& window = longShot().window;
  const QString project = longShot().save();
  (void)window.session().model.workspace().writer()->flush();
  for (auto _ : state) {
    window.session().jobs.open(project);
    testing::waitForJobs(window);
    QApplication::processEvents();
  }
}
BENCHMARK(openProject)->Unit(benchmark::kMillisecond)->Iterations(5);

}  // namespace

int main(int argc, char** argv) {
  testing::prepareApplication();
  QApplication application(argc, argv);
  desktop::applyTheme(application);
  benchmark::Initialize(&argc, argv);
  benchmark::RunSpecifiedBenchmarks();
  shots().clear();
  return 0;
}
