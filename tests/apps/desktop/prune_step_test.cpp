// The Prune step under Xvfb: limits show what would go and what it would do, nothing goes before it is asked for, and everything comes back.
#include <gtest/gtest.h>

#include <QApplication>
#include <QLabel>
#include <QPushButton>

#include "apps/desktop/paint/track_state.h"
#include "apps/desktop/plate/plate_view.h"
#include "apps/desktop/steps/fields.h"
#include "apps/desktop/steps/steps_panel.h"
#include "core/project/edits.h"
#include "tests/apps/desktop/quay_window.h"
#include "tests/apps/desktop/run_tests.h"

namespace dusky::testing {

class PruneStep : public QuayWindow {
 protected:
  void SetUp() override {
    QuayWindow::SetUp();
    if (HasFatalFailure()) return;
    session().jobs.runSolve();
    ASSERT_TRUE(waitForJobs(*window));
    window->steps().openStep(Step::Prune);
    QTest::qWait(50);
  }
  void set(const char* rule, double value) { window->findChild<desktop::NumberField*>(QString("prune ") + rule)->setValue(value); }
  bool predicted() {
    return waitUntil([this] { return !session().prune.working() && session().prune.prediction().has_value(); }, 20000);
  }
  QString text(const char* label) { return window->findChild<QLabel*>(label)->text(); }
  QPushButton* go() { return window->findChild<QPushButton*>("setRulesAside"); }
};

TEST_F(PruneStep, ShowsWhatWouldGoAndWhatItWouldDoBeforeItActs) {
  EXPECT_FALSE(go()->isEnabled());
  EXPECT_TRUE(text("pruneExpected").contains("Set a limit"));
  const SolutionPtr before = session().model.solution();
  set("Typical over", 1.3 * before->rms_px);
  ASSERT_TRUE(predicted());
  const std::vector<int> going = session().prune.choice().tracks;
  ASSERT_GT(going.size(), 3u);
  EXPECT_EQ(go()->text(), QString("Set %1 aside").arg(going.size()));
  EXPECT_TRUE(text("pruneExpected").contains("Expected: RMS")) << text("pruneExpected").toStdString();
  EXPECT_EQ(desktop::glyphNow(session().model, going[0], before->find(going[0])), desktop::Glyph::Going);
  int slanting = 0;
  for (const desktop::PlateMark& mark : window->plate().marks()) slanting += mark.glyph == desktop::Glyph::Going;
  EXPECT_GT(slanting, 0) << "on the Plate too";
  EXPECT_TRUE(document().picks.set_aside.empty()) << "nothing goes before it is asked for";
  EXPECT_EQ(session().model.solution(), before);
  const double expected_rms = session().prune.prediction()->rms_px;

  ASSERT_TRUE(click(*window, "setRulesAside"));
  EXPECT_EQ(document().picks.set_aside, going);
  EXPECT_TRUE(session().prune.choice().empty()) << "stale until it is solved again";
  ASSERT_TRUE(click(*window, "refineAfterPruning"));
  ASSERT_TRUE(waitForJobs(*window));
  EXPECT_NEAR(session().model.solution()->rms_px, expected_rms, 0.1 * expected_rms);
  EXPECT_EQ(session().model.workspace().ledger().runs().size(), 2u);
  EXPECT_EQ(session().model.workspace().status(Step::Prune).state, StepState::Current);
  // Back to the start: the same numbers.
  session().model.undo();
  EXPECT_EQ(session().model.solution(), before);
  EXPECT_TRUE(document().picks.set_aside.empty());
  session().model.undo();
  EXPECT_FALSE(document().prune.any());
}

TEST_F(PruneStep, ARegionDrawnOnThePlateTakesWhatIsSeenInIt) {
  session().playback.setFrame(8);
  ASSERT_TRUE(waitUntil([this] { return !session().frames.frame(8).isNull(); }, 10000));
  QTest::qWait(30);
  ASSERT_TRUE(click(*window, "more prune"));
  window->steps().ensureWidgetVisible(window->findChild<QWidget*>("drawPruneRegion"));
  ASSERT_TRUE(click(*window, "drawPruneRegion"));
  desktop::PlateView& plate = window->plate();
  const auto at = [&plate](double x, double y) { return plate.toWidget({x, y}); };
  drag(plate, {at(200, 100), at(420, 100), at(420, 260), at(200, 260), at(202, 104)});
  ASSERT_EQ(document().prune.regions.size(), 1u);
  EXPECT_EQ(document().prune.regions[0].frame, 8);
  EXPECT_EQ(session().view.tool(), desktop::ViewSettings::Tool::Box) << "drawn once";
  ASSERT_TRUE(predicted());
  const PruneChoice& choice = session().prune.choice();
  ASSERT_GT(choice.tracks.size() + choice.spared.size(), 5u);
  EXPECT_TRUE(document().picks.set_aside.empty());
  for (const int id : choice.tracks) {
    const Observation* seen = session().model.tracks()->find(id)->at(8);
    ASSERT_TRUE(seen);
    EXPECT_TRUE(seen->position.x() > 195 && seen->position.x() < 425 && seen->position.y() > 95 && seen->position.y() < 265) << id;
  }
  window->steps().ensureWidgetVisible(window->findChild<QWidget*>("forgetPruneRegions"));
  ASSERT_TRUE(click(*window, "forgetPruneRegions"));
  EXPECT_FALSE(document().prune.any());
  session().model.undo();
  EXPECT_EQ(document().prune.regions.size(), 1u);
}

TEST_F(PruneStep, DropsSightingsAndBringsThemBack) {
  set("Sightings over", 2.2 * session().model.solution()->rms_px);
  ASSERT_TRUE(predicted());
  const auto sightings = session().prune.choice().sightings;
  ASSERT_GT(sightings.size(), 3u);
  ASSERT_TRUE(click(*window, "setRulesAside"));
  EXPECT_EQ(document().picks.dropped, sightings);
  session().jobs.carryOn();
  ASSERT_TRUE(waitForJobs(*window));
  const SolvedTrack* track = session().model.solution()->find(sightings[0].track);
  for (const TrackError& e : track->errors) {
    if (e.frame == sightings[0].frame) EXPECT_FALSE(e.used);
  }
  session().model.run(bringSightingsBack(document()));
  EXPECT_TRUE(document().picks.dropped.empty());
}

TEST_F(PruneStep, LeavesNoMarksBehindWhenItIsClosedAndPrunesByItself) {
  set("Typical over", session().model.solution()->rms_px);
  ASSERT_TRUE(predicted());
  ASSERT_FALSE(session().prune.choice().tracks.empty());
  const int one = session().prune.choice().tracks[0];
  window->steps().openStep(Step::Solve);
  EXPECT_FALSE(session().model.isGoing(one));
  window->steps().openStep(Step::Prune);
  QTest::qWait(50);
  const auto runs = session().model.workspace().ledger().runs().size();
  ASSERT_TRUE(click(*window, "pruneAutomatically"));
  ASSERT_TRUE(waitForJobs(*window));
  EXPECT_FALSE(text("pruneNote").isEmpty());
  const bool helped = !text("pruneNote").startsWith("No round") && !text("pruneNote").startsWith("Nothing");
  EXPECT_EQ(session().model.workspace().ledger().runs().size(), runs + (helped ? 1 : 0)) << text("pruneNote").toStdString();
  EXPECT_EQ(document().picks.set_aside.empty(), !helped);
}

}  // namespace dusky::testing

int main(int argc, char** argv) { return dusky::testing::runTests(argc, argv); }
