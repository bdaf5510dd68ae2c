// Document, jobs and fields of the window, on a short made-up shot.
#include <gtest/gtest.h>

#include <QApplication>
#include <QSignalSpy>
#include <cmath>

#include "apps/desktop/actions/track_actions.h"
#include "apps/desktop/model/session.h"
#include "apps/desktop/plate/plate_marks.h"
#include "apps/desktop/steps/fields.h"
#include "core/project/edits.h"
#include "tests/apps/desktop/run_tests.h"
#include "tests/support/shot_maker.h"
#include "tests/support/temporary_folder.h"

#include <QAction>

namespace dusky::testing {
using namespace desktop;

class ModelTest : public ::testing::Test {
 protected:
  static void SetUpTestSuite() {
    folder = new TemporaryFolder;
    ShotPlan plan = planShot(ShotKind::Free);
    plan.frames = 14;
    ASSERT_TRUE(MadeShot(plan).write(folder->path().string(), "quay"));
    std::filesystem::create_directories(*folder / "still");
    plan = planShot(ShotKind::Still);
    plan.frames = 6;
    ASSERT_TRUE(MadeShot(plan).write((*folder / "still").string(), "still"));
  }
  static void TearDownTestSuite() { delete folder; }
  void SetUp() override { open("quay.0001.png"); }
  void open(const char* name) {
    session.jobs.open(QString::fromStdString((*folder / name).string()));
    ASSERT_TRUE(idle());
    ASSERT_TRUE(session.model.hasFootage());
  }
  bool idle() {
    return waitUntil([this] { return !session.jobs.busy(); }, 60000);
  }
  bool solveNow() {
    session.jobs.runSolve();
    return idle() && session.model.solution();
  }

  static TemporaryFolder* folder;
  Session session;
};
TemporaryFolder* ModelTest::folder = nullptr;

TEST_F(ModelTest, SolvingTracksFirstAndTellsEveryStep) {
  std::vector<Step> ran;
  QObject::connect(&session.jobs, &Jobs::changed, [&] {
    for (Step step : {Step::Tracks, Step::Solve}) {
      if (session.jobs.state(step).running && (ran.empty() || ran.back() != step)) ran.push_back(step);
    }
  });
  QSignalSpy finished(&session.jobs, &Jobs::finished);
  ASSERT_TRUE(solveNow());
  EXPECT_EQ(ran, (std::vector<Step>{Step::Tracks, Step::Solve}));
  EXPECT_EQ(finished.count(), 1);
  EXPECT_TRUE(session.model.tracks() && session.model.scene() && session.model.verdict());
  EXPECT_TRUE(session.model.unsaved());
  ran.clear();
  session.model.run(pinTracks(session.model.document(), {session.model.tracks()->tracks[0].id}, true));
  session.jobs.runSolve();
  ASSERT_TRUE(idle());
  EXPECT_EQ(ran, (std::vector<Step>{Step::Solve})) << "tracks are still good";
}

TEST_F(ModelTest, ARefusalStandsInTheStepUntilItIsForgotten) {
  open("still/still.0001.png");
  session.jobs.runSolve();
  ASSERT_TRUE(idle());
  EXPECT_TRUE(session.jobs.state(Step::Solve).failure.contains("does not move"));
  EXPECT_FALSE(session.model.solution());
  EXPECT_TRUE(session.model.tracks()) << "the tracks it found stay";
  session.jobs.forgetFailures();
  EXPECT_TRUE(session.jobs.state(Step::Solve).failure.isEmpty());
}

TEST_F(ModelTest, OnlyOneJobRunsAndCancelEndsIt) {
  session.jobs.runTracks();
  session.jobs.runSolve();  // ignored
  EXPECT_TRUE(session.jobs.state(Step::Tracks).running);
  session.jobs.cancel();
  ASSERT_TRUE(idle());
  EXPECT_FALSE(session.model.tracks());
  EXPECT_TRUE(session.jobs.state(Step::Tracks).failure.contains("Cancelled"));
  session.jobs.runTracks();
  ASSERT_TRUE(idle());
  EXPECT_TRUE(session.model.tracks()) << "and it can be run again";
}

TEST_F(ModelTest, AFieldIsOneEditAndHearsUndo) {
  NumberField field(
      session.model, [](const Document& d) { return static_cast<double>(d.tracking.features); },
      [](const Document& d, double v) { return changeField("Change features", d, &Document::tracking, &FollowOptions::features, static_cast<int>(v)); });
  field.range(20, 20000, 0, 50, "");
  field.show();
  field.setFocus();
  field.selectAll();
  QTest::keyClicks(&field, "345");
  QTest::keyClick(&field, Qt::Key_Return);
  EXPECT_EQ(session.model.document().tracking.features, 345);
  session.model.undo();
  EXPECT_EQ(session.model.document().tracking.features, 600) << "three digits, one undo step";
  EXPECT_EQ(field.value(), 600);
  EXPECT_FALSE(session.model.workspace().undoStack().canUndo());
  session.model.redo();
  EXPECT_EQ(field.value(), 345);

  SwitchField box(
      "on", session.model, [](const Document& d) { return d.tracking.both_ways; },
      [](const Document& d, bool on) { return changeField("Change", d, &Document::tracking, &FollowOptions::both_ways, on); });
  box.setChecked(false);
  EXPECT_FALSE(session.model.document().tracking.both_ways);
  session.model.undo();
  EXPECT_TRUE(box.isChecked());

  ChoiceField choice(
      {"unknown", "about", "locked"}, session.model, [](const Document& d) { return static_cast<int>(d.lens.focal); },
      [](const Document& d, int v) { return changeField("Change", d, &Document::lens, &LensSettings::focal, static_cast<FocalKnowledge>(v)); });
  choice.setCurrentIndex(2);
  EXPECT_EQ(session.model.document().lens.focal, FocalKnowledge::Locked);
  session.model.undo();
  EXPECT_EQ(choice.currentIndex(), 0);
}

TEST_F(ModelTest, PlateMarksAreTheSolvesSightings) {
  ASSERT_TRUE(solveNow());
  const SolutionPtr solution = session.model.solution();
  const auto marks = plateMarks(session.model, 7, false);
  ASSERT_GT(marks.size(), 100u);
  for (const PlateMark& mark : marks) {
    const Observation* o = session.model.tracks()->find(mark.id)->at(7);
    ASSERT_NE(o, nullptr);
    EXPECT_EQ(mark.measured, QPointF(o->position.x(), o->position.y()));
    const SolvedTrack* track = solution->find(mark.id);
    EXPECT_EQ(mark.glyph, glyphOf(track));
    if (std::isnan(mark.error_px)) continue;
    const QPointF away = mark.reprojected - mark.measured;
    EXPECT_NEAR(std::hypot(away.x(), away.y()), mark.error_px, 1e-9);
  }
  const int id = marks[3].id;
  session.model.run(setAside(session.model.document(), {id}));
  EXPECT_EQ(glyphNow(session.model, id, solution->find(id)), Glyph::SetAside) << "seen at once, before the next solve";
  session.model.undo();
}

TEST_F(ModelTest, ActionsAreOfferedOnlyWhereTheyDoSomething) {
  ASSERT_TRUE(solveNow());
  TrackActions actions(session);
  const auto offered = [&](std::size_t count) {
    std::vector<int> ids;
    for (const SolvedTrack& t : session.model.solution()->tracks) {
      if (t.state == TrackState::Kept && ids.size() < count) ids.push_back(t.id);
    }
    session.selection.pick(ids, Selection::Mode::Replace);
    return std::vector<bool>{actions.ground->isEnabled(), actions.origin->isEnabled(), actions.direction->isEnabled(), actions.length->isEnabled(),
                             actions.cone->isEnabled(),   actions.aside->isEnabled(),  actions.back->isEnabled()};
  };
  EXPECT_EQ(offered(0), (std::vector<bool>{false, false, false, false, false, false, false}));
  EXPECT_EQ(offered(1), (std::vector<bool>{false, true, false, false, true, true, false}));
  EXPECT_EQ(offered(2), (std::vector<bool>{false, false, true, true, true, true, false}));
  EXPECT_EQ(offered(3), (std::vector<bool>{true, false, false, false, true, true, false}));
  EXPECT_FALSE(offered(30)[4]) << "no thirty cones at once";
  offered(2);
  actions.aside->trigger();
  EXPECT_EQ(offered(2)[6], true);
  actions.select_others->trigger();
  EXPECT_EQ(session.selection.ids().size(), session.model.tracks()->tracks.size() - 2);
}
}  // namespace dusky::testing

int main(int argc, char** argv) { return dusky::testing::runTests(argc, argv); }
