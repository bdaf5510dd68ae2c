#include <QDir>
#include <QLineEdit>
#include <QComboBox>
#include <QPushButton>
#include <QScrollBar>

#include "apps/desktop/closeup/closeup_view.h"
#include "apps/desktop/coverage/coverage_view.h"
#include "apps/desktop/errormap/error_map.h"
#include "apps/desktop/errormap/margin_brushes.h"
#include "apps/desktop/plate/plate_view.h"
#include "apps/desktop/space/space_view.h"
#include "apps/desktop/steps/steps_panel.h"
#include "apps/desktop/twoframes/two_frames_view.h"
#include "core/project/edits.h"
#include "tests/apps/desktop/screenshot_stage.h"

namespace dusky::testing {

/// The pictures of the close-up's strip are read.
static void waitForStrip(desktop::MainWindow& window) {
  const auto read = [&window](int frame) { return !window.session().frames.frame(frame, true).isNull(); };
  waitUntil(
      [&] {
        const auto frames = window.closeup().strip();
        return std::all_of(frames.begin(), frames.end(), read);
      },
      10000);
}

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
  waitForStrip(window);
  shoot(window, "by-hand");
  window.plate().leaveTool();
}

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

void shootTrackCard(desktop::MainWindow& window) {
  desktop::Session& s = window.session();
  waitUntil([&] { return s.facts.current(); }, 20000);
  window.trackActions().next_worst->trigger();
  window.showView(desktop::View::Closeup);
  goTo(window, s.playback.frame());
  waitForStrip(window);
  shoot(window, "track-card");
  window.showView(desktop::View::Space);
  s.selection.clear();
}

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

}  // namespace dusky::testing
