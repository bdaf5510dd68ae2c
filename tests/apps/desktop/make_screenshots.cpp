// Makes the pictures of docs/screenshots from the demo shot, by driving the real window:
//   xvfb-run -a -s "-screen 0 1600x1000x24" build/release/tests/make_screenshots docs/screenshots
#include <QApplication>
#include <QDir>

#include "apps/desktop/cards/cheat_sheet.h"
#include "apps/desktop/cards/preferences_dialog.h"
#include "apps/desktop/errormap/error_map.h"
#include "apps/desktop/model/unsaved.h"
#include "apps/desktop/paint/theme.h"
#include "apps/desktop/steps/steps_panel.h"
#include "tests/apps/desktop/screenshot_stage.h"

using namespace dusky;
using namespace dusky::testing;

namespace {

/// What is there before a shot is open: one that was not saved, and the preferences.
void shootStart(desktop::MainWindow& window) {
  shoot(window, "welcome");
  desktop::PreferencesDialog preferences(&window);
  preferences.show();
  shoot(preferences, "preferences");
}

}  // namespace

int main(int argc, char** argv) {
  prepareApplication();
  QApplication application(argc, argv);
  desktop::applyTheme(application);
  screenshot_folder = argc > 1 ? argv[1] : "docs/screenshots";
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
