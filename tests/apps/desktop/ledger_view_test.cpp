// The ledger in the window under Xvfb: runs listed, named, compared, gone back to; and jobs that wait for their turn.
#include <gmock/gmock.h>
#include <gtest/gtest.h>

#include <QApplication>
#include <QHeaderView>
#include <QLabel>
#include <QTableView>
#include <QToolButton>

#include "apps/desktop/errormap/error_map.h"
#include "apps/desktop/ledger/difference_chart.h"
#include "apps/desktop/ledger/ledger_view.h"
#include "apps/desktop/steps/step_row.h"
#include "apps/desktop/steps/steps_panel.h"
#include "core/project/edits.h"
#include "core/review/frame_figures.h"
#include "tests/apps/desktop/quay_window.h"
#include "tests/apps/desktop/run_tests.h"

namespace dusky::testing {
using desktop::LedgerModel;
using desktop::View;
using ::testing::ElementsAre;

class LedgerWindow : public QuayWindow {
 protected:
  void SetUp() override {
    QuayWindow::SetUp();
    if (HasFatalFailure()) return;
    window->showView(View::Ledger);
    QTest::qWait(30);
  }
  QTableView& table() { return *window->findChild<QTableView*>("ledgerTable"); }
  QString cell(int row, int column) { return table().model()->index(row, column).data().toString(); }
  void choose(int row, Qt::KeyboardModifiers keys = {}) {
    const QRect at = table().visualRect(table().model()->index(row, LedgerModel::Changes));
    QTest::mouseClick(table().viewport(), Qt::LeftButton, keys, at.center());
  }
  /// By its button in the heading.
  bool press(const char* action) {
    for (QToolButton* button : window->findChildren<QToolButton*>()) {
      if (!button->defaultAction() || button->defaultAction()->objectName() != action || !button->isVisible() || !button->isEnabled()) continue;
      QTest::mouseClick(button, Qt::LeftButton);
      QTest::qWait(20);
      return true;
    }
    return false;
  }
  void runTwice() {
    session().jobs.runSolve();
    ASSERT_TRUE(waitForJobs(*window));
    session().model.run(setAside(document(), {session().model.solution()->tracks[3].id, session().model.solution()->tracks[9].id}));
    session().jobs.carryOn();
    ASSERT_TRUE(waitForJobs(*window));
    ASSERT_EQ(table().model()->rowCount(), 2);
  }
};

TEST_F(LedgerWindow, RunsAreListedNamedAndGoneBackTo) {
  runTwice();
  const SolutionPtr second = session().model.solution();
  EXPECT_TRUE(cell(0, LedgerModel::Name).contains("shown"));
  EXPECT_EQ(cell(0, LedgerModel::Changes), "refines Run 1: 2 tracks set aside");
  EXPECT_EQ(cell(1, LedgerModel::Frames), "16 of 16");
  choose(1);
  EXPECT_FALSE(press("compareRuns")) << "one is not two";
  ASSERT_TRUE(press("restoreRun"));
  ASSERT_TRUE(waitForJobs(*window));
  EXPECT_NE(session().model.solution(), second);
  EXPECT_TRUE(document().picks.set_aside.empty());
  EXPECT_TRUE(cell(1, LedgerModel::Name).contains("shown"));
  EXPECT_EQ(session().model.workspace().undoStack().undoName(), "Go back to Run 1");
  session().model.undo();
  EXPECT_EQ(session().model.solution(), second);
  EXPECT_EQ(document().picks.set_aside.size(), 2u);
  // A name is written in place.
  table().edit(table().model()->index(1, LedgerModel::Name));
  QTest::keyClicks(QApplication::focusWidget(), "before");
  QTest::keyClick(QApplication::focusWidget(), Qt::Key_Return);
  EXPECT_TRUE(waitUntil([&] { return document().ledger.nameOf(1) == "before"; }, 10000)) << document().ledger.nameOf(1);
  EXPECT_EQ(cell(0, LedgerModel::Changes), "refines before: 2 tracks set aside");
}

TEST_F(LedgerWindow, TwoRunsAreComparedAndShownInTurn) {
  runTwice();
  const SolutionPtr second = session().model.solution();
  choose(0);
  choose(1, Qt::ControlModifier);
  ASSERT_TRUE(press("compareRuns"));
  ASSERT_TRUE(waitForJobs(*window));
  ASSERT_TRUE(session().jobs.compared().first);
  EXPECT_EQ(session().jobs.compared().first->solution, second) << "the one that is shown comes first";
  const QString sentence = window->ledgerView().chart().sentence();
  EXPECT_TRUE(sentence.startsWith("Run 1 beside Run 2: an insert lined up under the one slips 0.")) << sentence.toStdString();
  // One key shows the other, in every view, and back.
  window->setFocus();
  QTest::keyClick(window.get(), Qt::Key_Y);
  EXPECT_EQ(session().model.peeked(), 1);
  EXPECT_NE(session().model.solution(), second);
  EXPECT_EQ(session().model.workspace().shownRun(), 2);
  QTest::keyClick(window.get(), Qt::Key_Y);
  EXPECT_EQ(session().model.solution(), second);
  // Any change ends it.
  QTest::keyClick(window.get(), Qt::Key_Y);
  session().model.run(pinTracks(document(), {session().model.solution()->tracks[0].id}, true));
  EXPECT_EQ(session().model.peeked(), 0);
  EXPECT_EQ(session().model.solution(), second);
}

TEST_F(LedgerWindow, TheErrorMapShowsByHowMuchTheErrorsOfTwoRunsDiffer) {
  runTwice();
  EXPECT_FALSE(window->errorMap().showsDifference());
  LensSettings lens = document().lens;
  lens.lens = LensChoice::None;
  session().model.set("Change lens", &Document::lens, lens);
  session().jobs.runSolve();
  ASSERT_TRUE(waitForJobs(*window));
  session().jobs.compareRuns(3, 1);
  ASSERT_TRUE(waitForJobs(*window));
  // What moved more than chance says can be selected from the sentence.
  auto* sentence = window->findChild<QLabel*>("differenceSentence");
  ASSERT_TRUE(sentence && sentence->text().contains("select them")) << sentence->text().toStdString();
  emit sentence->linkActivated("moved");
  ASSERT_FALSE(session().selection.empty());
  for (const SolveDifference::Point& point : session().jobs.compared().difference.points)
    EXPECT_EQ(session().selection.contains(point.id), point.distance > 3 * point.sigma) << point.id;
  session().selection.clear();
  window->showView(View::ErrorMap);
  QTest::qWait(30);
  window->setFocus();
  QTest::keyClick(window.get(), Qt::Key_Y, Qt::ShiftModifier);
  desktop::ErrorMap& map = window->errorMap();
  ASSERT_TRUE(map.showsDifference());
  // The sightings whose errors differ most, either way.
  const auto& compared = session().jobs.compared();
  struct Sighting {
    int track = 0, frame = 0;
    double more_px = 0;
  } larger, smaller;
  for (const SolvedTrack& track : compared.first->solution->tracks) {
    const SolvedTrack* before = compared.second->solution->find(track.id);
    for (const TrackError& e : track.errors) {
      const TrackError* was = before ? errorAt(*before, e.frame) : nullptr;
      if (track.state != TrackState::Kept || before->state != TrackState::Kept || !e.used || !was->used) continue;
      const Sighting one{track.id, e.frame, e.error_px - was->error_px};
      if (one.more_px > larger.more_px) larger = one;
      if (one.more_px < smaller.more_px) smaller = one;
    }
  }
  session().view.setErrorTop(std::min(larger.more_px, -smaller.more_px));
  const auto colorAt = [&map](const Sighting& at) {
    map.reveal(at.track);
    int row = 0;
    while (map.trackAt(row) != at.track) ++row;
    return map.grab().toImage().pixelColor(map.cellAt(row, at.frame).toPoint());
  };
  const auto warm = [](const QColor& c) { return c.red() > c.blue() + 40; };
  const auto cool = [](const QColor& c) { return c.blue() > c.red() + 20 && c.green() > c.red(); };
  turnWheel(map, map.cellAt(0, 8), 20, Qt::ControlModifier);  // rows that can be told apart
  EXPECT_TRUE(warm(colorAt(larger))) << colorAt(larger).name().toStdString();
  EXPECT_TRUE(cool(colorAt(smaller))) << colorAt(smaller).name().toStdString();
  QTest::keyClick(window.get(), Qt::Key_Y);
  EXPECT_TRUE(map.showsDifference());
  EXPECT_TRUE(cool(colorAt(larger))) << "the other way round";
  EXPECT_TRUE(warm(colorAt(smaller)));
  QTest::keyClick(window.get(), Qt::Key_Y);
  QTest::keyClick(window.get(), Qt::Key_Y, Qt::ShiftModifier);
  EXPECT_FALSE(map.showsDifference());
}

TEST_F(LedgerWindow, RunsAreKeptAndDropped) {
  runTwice();
  choose(0);
  EXPECT_FALSE(press("dropRuns")) << "the one that is shown stays";
  choose(1);
  ASSERT_TRUE(press("keepRuns"));
  EXPECT_TRUE(cell(1, LedgerModel::Name).contains("kept"));
  ASSERT_TRUE(press("dropOthers"));
  EXPECT_EQ(table().model()->rowCount(), 2) << "nothing else is there";
  choose(1);
  ASSERT_TRUE(press("keepRuns"));
  ASSERT_TRUE(press("dropOthers"));
  EXPECT_EQ(table().model()->rowCount(), 1);
  session().model.undo();
  EXPECT_EQ(table().model()->rowCount(), 2);
}

TEST_F(LedgerWindow, WhatIsAskedWhileSomethingRunsWaitsForItsTurn) {
  desktop::Jobs& jobs = session().jobs;
  jobs.runTracks();
  ASSERT_TRUE(jobs.state(Step::Tracks).running);
  jobs.checkFootage();
  jobs.runSolve();
  jobs.runSolve();
  EXPECT_TRUE(jobs.state(Step::Footage).waiting);
  // It takes the shot as it is when its turn comes.
  LensSettings lens = document().lens;
  lens.motion = CameraMotion::Free;
  session().model.set("Motion", &Document::lens, lens);
  ASSERT_TRUE(waitForJobs(*window));
  EXPECT_FALSE(jobs.checked().empty());
  ASSERT_TRUE(session().model.solution());
  EXPECT_EQ(session().model.workspace().status(Step::Solve).state, StepState::Current);
  EXPECT_EQ(session().model.workspace().ledger().runs().size(), 1u) << "asked for twice, solved once";
  // One step's work is taken back without the others'; cancelling takes back all.
  jobs.runTracks();
  jobs.checkFootage();
  jobs.deliver();
  jobs.cancel(Step::Deliver);
  EXPECT_FALSE(jobs.state(Step::Deliver).waiting);
  EXPECT_TRUE(jobs.state(Step::Footage).waiting);
  jobs.cancel();
  EXPECT_FALSE(jobs.state(Step::Footage).waiting);
  ASSERT_TRUE(waitForJobs(*window));
  EXPECT_TRUE(jobs.delivered().files.empty());
}

}  // namespace dusky::testing

int main(int argc, char** argv) { return dusky::testing::runTests(argc, argv); }
