#include "apps/desktop/plate/plate_view.h"
#include "apps/desktop/steps/steps_panel.h"
#include "core/project/edits.h"
#include "tests/apps/desktop/screenshot_stage.h"

namespace dusky::testing {

QString screenshot_folder;

void shoot(QWidget& widget, const char* name) {
  QTest::qWait(250);
  widget.grab().save(screenshot_folder + "/" + name + ".png");
}

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

QPointF onPlate(desktop::MainWindow& window, double x, double y) { return window.plate().toWidget(QPointF(x, y)); }

void solveWithoutLens(desktop::MainWindow& window) {
  desktop::Session& s = window.session();
  LensSettings lens = s.model.document().lens;
  lens.lens = LensChoice::None;
  s.model.set("Change lens", &Document::lens, lens);
  s.jobs.runSolve();
  waitForJobs(window);
  window.steps().openStep(Step::Solve);
}

}  // namespace dusky::testing
