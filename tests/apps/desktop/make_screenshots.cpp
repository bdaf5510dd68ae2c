// Makes the pictures of docs/screenshots from the demo shot, by driving the real window:
//   xvfb-run -a -s "-screen 0 1600x1000x24" build/release/tests/make_screenshots docs/screenshots
#include <QAction>
#include <QApplication>
#include <QDir>
#include <QLineEdit>
#include <QComboBox>
#include <QMenuBar>
#include <QPushButton>
#include <QScrollBar>

#include "apps/desktop/paint/theme.h"
#include "apps/desktop/cards/cheat_sheet.h"
#include "apps/desktop/cards/preferences_dialog.h"
#include "apps/desktop/closeup/closeup_view.h"
#include "apps/desktop/coverage/coverage_view.h"
#include "apps/desktop/errormap/error_map.h"
#include "apps/desktop/errormap/margin_brushes.h"
#include "apps/desktop/model/unsaved.h"
#include "apps/desktop/plate/plate_view.h"
#include "apps/desktop/space/space_view.h"
#include "apps/desktop/steps/steps_panel.h"
#include "apps/desktop/twoframes/two_frames_view.h"
#include "core/project/edits.h"
#include "tests/apps/desktop/window_driver.h"

using namespace dusky;
using namespace dusky::testing;

namespace {

QString folder;

void shoot(QWidget& widget, const char* name) {
  QTest::qWait(250);
  widget.grab().save(folder + "/" + name + ".png");
}

/// Kept tracks of long life nearest to places in the picture of a frame.
std::vector<int> tracksNear(desktop::MainWindow& window, const std::vector<QPointF>& places) {
  std::vector<int> ids;
  for (const QPointF& place : places) {
    int best = 0;
    double least = 1e9;
    for (const desktop::PlateMark& mark : window.plate().marks()) {
      const QPointF away = mark.measured - place;
      const double distance = std::hypot(away.x(), away.y());
      if (mark.glyph == desktop::Glyph::Kept && distance < least) best = mark.id, least = distance;
    }
    if (best) ids.push_back(best);
  }
  return ids;
}

/// Kept tracks of the frame that lie on the guessed ground, spread over the picture.
std::vector<int> tracksOnGround(desktop::MainWindow& window, std::size_t count) {
  const desktop::DocumentModel& model = window.session().model;
  std::vector<int> ids;
  std::vector<QPointF> places;
  for (const desktop::PlateMark& mark : window.plate().marks()) {
    const SolvedTrack* track = model.solution()->find(mark.id);
    if (mark.glyph != desktop::Glyph::Kept || std::abs((model.scene()->scene_from_solve * track->point).y()) > 0.012) continue;
    const bool apart = std::all_of(places.begin(), places.end(), [&](const QPointF& p) { return (p - mark.measured).manhattanLength() > 180; });
    if (!apart || ids.size() >= count) continue;
    ids.push_back(mark.id);
    places.push_back(mark.measured);
  }
  return ids;
}

void goTo(desktop::MainWindow& window, int frame) {
  window.session().playback.setFrame(frame);
  waitUntil([&] { return !window.session().frames.frame(frame).isNull(); }, 10000);
  QTest::qWait(100);
}

void setScene(desktop::MainWindow& window) {
  desktop::Session& s = window.session();
  goTo(window, 90);
  s.selection.pick(tracksOnGround(window, 6), desktop::Selection::Mode::Replace);
  window.trackActions().ground->trigger();
  s.selection.pick(tracksNear(window, {{820, 600}}), desktop::Selection::Mode::Replace);
  window.trackActions().cone->trigger();
  s.selection.pick(tracksNear(window, {{620, 640}}), desktop::Selection::Mode::Replace);
  window.trackActions().cube->trigger();
  s.selection.pick(tracksNear(window, {{470, 560}}), desktop::Selection::Mode::Replace);
  window.trackActions().figure->trigger();
  TestObject figure = s.model.document().picks.objects.back();
  figure.turn_deg = -30;
  s.model.run(changeObject(s.model.document(), figure));
}

/// Drags the left button over a widget along a path.
QPointF onPlate(desktop::MainWindow& window, double x, double y) { return window.plate().toWidget(QPointF(x, y)); }

/// An ellipse that follows the moored boat by keys, and a curve along the shore.
void shootMasks(desktop::MainWindow& window) {
  desktop::Session& s = window.session();
  window.steps().openStep(Step::Masks);
  goTo(window, 20);
  s.view.setTool(desktop::ViewSettings::Tool::MaskCurve);
  const std::vector<QPointF> shore = {{60, 210}, {330, 170}, {620, 200}, {600, 290}, {300, 320}, {80, 300}};
  for (const QPointF& p : shore) QTest::mouseClick(&window.plate(), Qt::LeftButton, {}, onPlate(window, p.x(), p.y()).toPoint());
  QTest::mouseClick(&window.plate(), Qt::LeftButton, {}, onPlate(window, shore[0].x(), shore[0].y()).toPoint());
  s.view.setTool(desktop::ViewSettings::Tool::MaskEllipse);
  drag(window.plate(), {onPlate(window, 700, 250), onPlate(window, 980, 480)});
  goTo(window, 70);
  drag(window.plate(), {onPlate(window, 840, 330), onPlate(window, 700, 380)});
  goTo(window, 100);
  drag(window.plate(), {onPlate(window, 700, 340), onPlate(window, 560, 420)});
  goTo(window, 70);
  s.view.showMasks(true);
  goTo(window, 70);
  shoot(window, "masks");
  while (s.model.workspace().undoStack().canUndo() && !s.model.document().masks.shapes.empty()) s.model.undo();
  window.plate().leaveTool();
}

/// Candidates before tracking; a track by hand close up; two frames; the list; coverage.
void shootTracks(desktop::MainWindow& window) {
  desktop::Session& s = window.session();
  window.steps().openStep(Step::Tracks);
  goTo(window, 60);
  s.view.showTracks(false);
  s.view.showCandidates(true);
  waitUntil([&] { return s.candidates.frame() == 60; });
  window.showView(desktop::View::Coverage);
  drag(window.coverage(), {window.coverage().placeOf(0, 44), window.coverage().placeOf(7, 78)});
  goTo(window, 60);
  waitUntil([&] { return s.candidates.frame() == 60; });
  shoot(window, "candidates");
  s.view.showCandidates(false);
  s.view.showTracks(true);
  window.showView(desktop::View::TwoFrames);
  window.showView(desktop::View::Tracks);
  QTest::mouseClick(&window.twoFrames().picture(false), Qt::LeftButton, {}, window.twoFrames().picture(false).toWidget({640, 470}).toPoint());
  waitUntil([&] { return !s.frames.frame(1).isNull() && !s.frames.frame(20).isNull(); }, 10000);
  shoot(window, "two-frames");
  s.selection.clear();
  goTo(window, 60);
  s.view.setTool(desktop::ViewSettings::Tool::Hand);
  QTest::mouseClick(&window.plate(), Qt::LeftButton, {}, onPlate(window, 655, 402).toPoint());
  waitForJobs(window);
  if (!s.selection.empty()) s.jobs.followByHand(s.selection.ids().front(), {.frame = 60, .backward = true});
  waitForJobs(window);
  goTo(window, 74);
  if (auto* ways = window.findChild<QWidget*>("handBoth")) window.steps().ensureWidgetVisible(ways, 0, 60);
  shoot(window, "by-hand");
  window.plate().leaveTool();
}

/// The Plate without distortion beside its edges' check, focal length and bend; a sweep with its valley.
void shootLens(desktop::MainWindow& window) {
  desktop::Session& s = window.session();
  window.steps().openStep(Step::Solve);
  window.showView(desktop::View::Lens);
  s.view.setTool(desktop::ViewSettings::Tool::Edge);
  goTo(window, 74);
  drag(window.plate(), {onPlate(window, 60, 40), onPlate(window, 640, 20), onPlate(window, 1220, 40)});
  drag(window.plate(), {onPlate(window, 40, 690), onPlate(window, 640, 690), onPlate(window, 1240, 690)});
  shoot(window, "lens");
  window.plate().leaveTool();
  s.view.showStraight(true);
  s.view.showGrid(true);
  window.showView(desktop::View::Sweep);
  if (auto* scalar = window.findChild<QComboBox*>("sweepFirst")) scalar->setCurrentIndex(scalar->findData("k1"));
  if (auto* run = window.findChild<QPushButton*>("runSweep")) run->click();
  waitForJobs(window);
  click(window, "more solve");
  if (auto* known = window.findChild<QWidget*>("knowValue")) window.steps().ensureWidgetVisible(known, 0, 30);
  goTo(window, 74);
  shoot(window, "sweep");
  s.view.showStraight(false);
  s.view.showGrid(false);
  click(window, "more solve");
}

/// Limits, and what they would do.
void shootPrune(desktop::MainWindow& window) {
  desktop::Session& s = window.session();
  window.showView(desktop::View::ErrorMap);
  window.showView(desktop::View::Space);
  window.steps().openStep(Step::Prune);
  PruneRules rules;
  rules.max_typical_px = 0.22, rules.max_sighting_px = 0.5;
  s.model.set("Change pruning rule", &Document::prune, rules);
  waitUntil([&] { return s.prune.prediction().has_value(); }, 20000);
  goTo(window, 74);
  shoot(window, "prune");
  s.model.undo();
}

/// The error map fills the window: rows by place in the picture, a limit being brushed.
void shootErrorMap(desktop::MainWindow& window) {
  desktop::Session& s = window.session();
  window.showView(desktop::View::ErrorMap);
  desktop::ErrorMap& map = window.errorMap();
  if (auto* grouping = window.findChild<QComboBox*>("grouping")) grouping->setCurrentIndex(grouping->findData(static_cast<int>(desktop::RowGrouping::Region)));
  map.setCurve(desktop::FrameCurve::Worst);
  goTo(window, 74);
  window.fillWith(desktop::ViewPlace::Below);
  waitUntil([&] { return s.facts.current(); }, 20000);
  desktop::MarginBrushes& margins = map.margins();
  drag(margins, {margins.placeOf(1, 0.44), margins.placeOf(1, 0.4), margins.placeOf(1, 0.38)});
  waitUntil([&] { return s.prune.prediction().has_value(); }, 20000);
  shoot(window, "error-map");
  s.model.undo();
  map.setCurve(desktop::FrameCurve::Errors);
  if (auto* grouping = window.findChild<QComboBox*>("grouping")) grouping->setCurrentIndex(0);
  window.fillWith(desktop::ViewPlace::Below);
}

/// The worst track close up, with those of its frame.
void shootTrackCard(desktop::MainWindow& window) {
  desktop::Session& s = window.session();
  waitUntil([&] { return s.facts.current(); }, 20000);
  window.trackActions().next_worst->trigger();
  window.showView(desktop::View::Closeup);
  goTo(window, s.playback.frame());
  waitUntil(
      [&] {
        const auto frames = window.closeup().strip();
        return std::all_of(frames.begin(), frames.end(), [&](int frame) { return !s.frames.frame(frame, true).isNull(); });
      },
      10000);
  shoot(window, "track-card");
  window.showView(desktop::View::Space);
  s.selection.clear();
}

/// Ground and test objects; the set from the front with rulers, and how sure some places are; the shot is solved.
void shootScene(desktop::MainWindow& window) {
  desktop::Session& s = window.session();
  setScene(window);
  window.steps().openStep(Step::Scene);
  s.view.showGrid(true);
  s.selection.pick(tracksNear(window, {{520, 500}, {700, 420}, {880, 560}, {300, 470}}), desktop::Selection::Mode::Replace);
  s.objects.choose(2);
  window.space().setMode(desktop::Eye::Mode::Front);
  window.space().frameAll();
  shoot(window, "scene");
  s.view.showGrid(false);
  s.objects.choose(0);
  window.space().setMode(desktop::Eye::Mode::Orbit);
}

/// The scene with its handles, and laid on the set's mesh after the picks of a knowledge file; the shot is solved.
void shootMesh(desktop::MainWindow& window, const char* picks) {
  desktop::Session& s = window.session();
  window.steps().openStep(Step::Scene);
  goTo(window, 74);
  s.selection.pick(tracksNear(window, {{520, 500}, {700, 420}, {880, 560}, {300, 470}}), desktop::Selection::Mode::Replace);
  s.view.showHandles(true);
  if (auto* moved = window.findChild<QWidget*>("moveScale")) window.steps().ensureWidgetVisible(moved, 0, 60);
  shoot(window, "handles");
  s.view.showHandles(false);
  s.selection.clear();
  window.useKnowledgeFile(picks);
  window.useMesh(QStringLiteral(DUSKY_DEMO_DATA "/ferry-landing-set.obj"));
  waitUntil([&] { return s.mesh.mesh().surface != nullptr; }, 20000);
  s.jobs.layOnMesh(s.mesh.mesh().surface, false);
  waitForJobs(window);
  window.space().frameAll();
  if (auto* lay = window.findChild<QWidget*>("layOnMesh")) window.steps().ensureWidgetVisible(lay, 0, 60);
  shoot(window, "mesh");
  s.view.setMeshStyle(desktop::ViewSettings::MeshStyle::Solid);
  shoot(window, "mesh-solid");
}

/// Three runs, two of them compared; the shot is solved and shows the first.
void shootLedger(desktop::MainWindow& window) {
  desktop::Session& s = window.session();
  const auto worst = [&](int from, int count) {
    std::vector<int> ids;
    for (int row = from; row < from + count; ++row) ids.push_back(window.errorMap().trackAt(row));
    return ids;
  };
  window.showView(desktop::View::ErrorMap);
  s.model.run(setAside(s.model.document(), worst(0, 24)));
  s.jobs.carryOn();
  waitForJobs(window);
  LensSettings lens = s.model.document().lens;
  lens.focal = FocalKnowledge::Near, lens.focal_mm = 27, lens.focal_tolerance_pc = 1;
  s.model.set("Change focal length", &Document::lens, lens);
  s.jobs.runSolve();
  waitForJobs(window);
  s.model.run(nameRun(s.model.document(), 1, "as it came"));
  s.model.run(keepRuns(s.model.document(), {1}, true));
  window.showView(desktop::View::Ledger);
  window.showView(desktop::View::Space);
  window.space().setMode(desktop::Eye::Mode::Top);
  s.jobs.compareRuns(3, 1);
  waitForJobs(window);
  goTo(window, 74);
  shoot(window, "ledger");
}

/// The tracks alone, written and opened again as a shot without pictures; some of them brought in once more beside.
void shootTracksAlone(desktop::MainWindow& window) {
  desktop::Session& s = window.session();
  const QString file = QDir::tempPath() + "/ferry-landing-tracks.json";
  s.jobs.exportTracks(file);
  waitForJobs(window);
  s.jobs.open(file);
  waitForJobs(window);
  s.jobs.runSolve();
  waitForJobs(window);
  s.jobs.importTracks(file);
  waitForJobs(window);
  window.steps().openStep(Step::Tracks);
  window.steps().verticalScrollBar()->setValue(0);
  window.showView(desktop::View::Space);
  window.showView(desktop::View::Tracks);
  for (QLineEdit* filter : window.findChildren<QLineEdit*>()) {
    if (filter->placeholderText().contains("imported")) filter->setText("imported");
  }
  window.space().setMode(desktop::Eye::Mode::Orbit);
  goTo(window, 74);
  shoot(window, "tracks-alone");
  QFile::remove(file);
}

/// What is there before a shot is open: one that was not saved, and the preferences.
void shootStart(desktop::MainWindow& window) {
  shoot(window, "welcome");
  desktop::PreferencesDialog preferences(&window);
  preferences.show();
  shoot(preferences, "preferences");
}

void solveWithoutLens(desktop::MainWindow& window) {
  desktop::Session& s = window.session();
  LensSettings lens = s.model.document().lens;
  lens.lens = LensChoice::None;
  s.model.set("Change lens", &Document::lens, lens);
  s.jobs.runSolve();
  waitForJobs(window);
  window.steps().openStep(Step::Solve);
}

/// What a solve without a lens leaves over the picture, and where in depth.
void shootField(desktop::MainWindow& window) {
  desktop::Session& s = window.session();
  solveWithoutLens(window);
  waitUntil([&] { return s.facts.current(); });
  s.view.showField(true);
  s.view.setPointColor(desktop::ViewSettings::PointColor::Depth);
  goTo(window, 74);
  shoot(window, "field");
  s.view.showField(false);
  s.view.setPointColor(desktop::ViewSettings::PointColor::Picture);
  s.model.undo();
}

}  // namespace

void shootDeliver(desktop::MainWindow& window) {
  desktop::Session& s = window.session();
  window.space().setMode(desktop::Eye::Mode::Camera);
  s.view.setPointColor(desktop::ViewSettings::PointColor::Picture);
  DeliverySettings delivery = s.model.document().delivery;
  delivery.folder = (QDir::tempPath() + "/ferry-landing-delivery").toStdString();
  delivery.choices.what = {"camera.glb", "camera.usda", "points.ply", "st-maps", "plates", "report.json"};
  s.model.set("Change delivery", &Document::delivery, delivery);
  window.steps().openStep(Step::Deliver);
  s.jobs.deliver();
  waitForJobs(window);
  goTo(window, 108);
  shoot(window, "deliver");
  auto* receipt = window.findChild<QWidget*>("openReceipt");
  window.steps().ensureWidgetVisible(receipt);
  QTest::qWait(100);
  shoot(window, "deliver-receipt");
  s.view.setPointColor(desktop::ViewSettings::PointColor::Error);
}

/// Dense points with their clean-up, their mesh, and a depth map; the shot is solved.
void shootDense(desktop::MainWindow& window) {
  desktop::Session& s = window.session();
  using Shown = desktop::ViewSettings::DenseShown;
  window.steps().openStep(Step::Dense);
  s.jobs.makeDense();
  waitForJobs(window);
  waitUntil([&] { return s.dense.points() && s.dense.points()->dense; }, 20000);
  DenseSettings settings = s.model.document().dense;
  settings.clean.least_neighbours = 0.6;
  s.model.set("Clean up", &Document::dense, settings);
  waitUntil([&] { return !s.dense.reading(); }, 20000);
  window.space().setMode(desktop::Eye::Mode::Orbit);
  window.space().frameAll();
  goTo(window, s.dense.keyframes()[s.dense.keyframes().size() / 2]);
  s.view.showDepth(true);
  s.dense.depthPicture(s.playback.frame());
  QTest::qWait(800);
  shoot(window, "dense");
  window.fillWith(desktop::ViewPlace::Right);
  QTest::qWait(1500);
  shoot(window, "dense-space");
  window.fillWith(desktop::ViewPlace::Right);
  s.view.showDepth(false);
  s.jobs.makeSurface(s.dense.points()->dense);
  waitForJobs(window);
  s.view.showDense(Shown::Mesh);
  if (auto* use = window.findChild<QWidget*>("useSurface")) window.steps().ensureWidgetVisible(use, 0, 60);
  window.fillWith(desktop::ViewPlace::Right);
  QTest::qWait(300);
  shoot(window, "dense-mesh");
  s.view.showDense(Shown::Points);
  window.fillWith(desktop::ViewPlace::Right);
  s.jobs.useSurfaceAsMesh(s.dense.surface());
  waitForJobs(window);
  waitUntil([&] { return s.mesh.mesh().surface != nullptr; }, 20000);
  setScene(window);
  s.view.showMesh(false);
  goTo(window, 74);
  QTest::qWait(2500);
  window.fillWith(desktop::ViewPlace::Left);
  shoot(window, "occlusion");
  window.fillWith(desktop::ViewPlace::Left);
  s.view.setTool(desktop::ViewSettings::Tool::DenseMeasure);
  QTest::qWait(500);
  const QSize space = window.space().size();
  for (const QPointF& share : {QPointF(0.36, 0.5), QPointF(0.47, 0.57), QPointF(0.4, 0.6), QPointF(0.32, 0.54), QPointF(0.88, 0.42)})
    QTest::mouseClick(&window.space(), Qt::LeftButton, {}, QPoint(static_cast<int>(share.x() * space.width()), static_cast<int>(share.y() * space.height())));
  if (auto* text = window.findChild<QWidget*>("measuredText")) window.steps().openStep(Step::Dense), window.steps().ensureWidgetVisible(text, 0, 60);
  shoot(window, "measure");
}

int main(int argc, char** argv) {
  prepareApplication();
  QApplication application(argc, argv);
  desktop::applyTheme(application);
  folder = argc > 1 ? argv[1] : "docs/screenshots";
  const std::filesystem::path kept = desktop::unsavedFolder() / "ferry-landing.moth";
  Document unsaved;
  unsaved.footage_path = desktop::MainWindow::demoPath().toStdString();
  std::filesystem::create_directories(kept.parent_path());
  (void)ProjectStore::create(kept, unsaved);
  desktop::MainWindow window;
  showWindow(window);
  std::filesystem::remove(kept);
  shootStart(window);
  if (argc > 2 && QString(argv[2]) == "start") return 0;
  if (argc > 3 && QString(argv[2]) == "dense") {
    if (!openAndWait(window, argv[3])) return 1;
    shootDense(window);
    return 0;
  }
  if (!openAndWait(window, desktop::MainWindow::demoPath())) return 1;
  desktop::Session& s = window.session();
  if (argc > 2) {  // only the newer views
    shootMasks(window);
    s.jobs.runTracks();
    waitForJobs(window);
    if (QString(argv[2]) == "alone") {
      shootTracksAlone(window);
      return 0;
    }
    if (QString(argv[2]) == "solved" || QString(argv[2]) == "ledger") s.jobs.runSolve();
    waitForJobs(window);
    if (QString(argv[2]) == "advice") {
      solveWithoutLens(window);
      waitUntil([&] { return !s.advisor.advice().empty(); }, 20000);
      goTo(window, 74);
      shoot(window, "advice");
      s.advisor.take(0);
      waitForJobs(window);
      window.steps().openStep(Step::Solve);
      shoot(window, "advice-taken");
      return 0;
    }
    if (QString(argv[2]) == "deliver") {
      s.jobs.runSolve();
      waitForJobs(window);
      shootDeliver(window);
      return 0;
    }
    if (QString(argv[2]) == "field") {
      shootField(window);
      return 0;
    }
    if (QString(argv[2]) == "map") {
      s.jobs.runSolve();
      waitForJobs(window);
      shootErrorMap(window);
      shootTrackCard(window);
      shootPrune(window);
      return 0;
    }
    if (QString(argv[2]) == "scene") {
      s.jobs.runSolve();
      waitForJobs(window);
      if (argc > 3) {
        window.useKnowledgeFile(argv[3]);
        s.jobs.runSolve();
        waitForJobs(window);
        window.steps().openStep(Step::Scene);
        QTest::qWait(50);
        if (auto* last = window.findChild<QWidget*>("ofCamera")) window.steps().ensureWidgetVisible(last, 0, 60);
        shoot(window, "known");
        return 0;
      }
      shootScene(window);
      return 0;
    }
    if (QString(argv[2]) == "mesh") {
      s.jobs.runSolve();
      waitForJobs(window);
      shootMesh(window, argv[3]);
      return 0;
    }
    if (QString(argv[2]) == "ledger") {
      shootPrune(window);
      shootLedger(window);
      return 0;
    }
    shootTracks(window);
    return 0;
  }
  goTo(window, 30);
  s.jobs.runTracks();
  waitForJobs(window);
  s.jobs.runSolve();
  waitForJobs(window);
  window.steps().openStep(Step::Solve);
  goTo(window, 74);
  shoot(window, "solved");
  shootField(window);
  shootLens(window);
  window.showView(desktop::View::ErrorMap);
  shootScene(window);
  shootTrackCard(window);
  shootDeliver(window);
  shootDense(window);
  shootMasks(window);
  shootErrorMap(window);
  shootPrune(window);
  shootTracks(window);
  // A refusal: far too few features.
  FollowOptions poor = s.model.document().tracking;
  poor.features = 20;
  poor.min_strength = 900;
  s.model.set("Change features", &Document::tracking, poor);
  window.steps().openStep(Step::Solve);
  s.jobs.runSolve();
  waitForJobs(window);
  window.steps().openStep(Step::Solve);
  shoot(window, "refusal");
  s.model.undo();
  shootTracksAlone(window);
  desktop::CheatSheet sheet;
  sheet.show();
  shoot(sheet, "keys");
  QDir(QDir::tempPath() + "/ferry-landing-delivery").removeRecursively();
  return 0;
}
