// Tracks in and out, in a real window.
#include <QAction>
#include <QMenuBar>
#include <QPushButton>

#include "apps/desktop/errormap/error_map.h"
#include "apps/desktop/plate/plate_view.h"
#include "core/base/atomic_file.h"
#include "core/track/track_files.h"
#include "tests/apps/desktop/quay_window.h"
#include "tests/apps/desktop/run_tests.h"
#include "tests/support/temporary_folder.h"

namespace dusky::testing {

class ImportTest : public QuayWindow {
 protected:
  QString file(const char* name) { return QString::fromStdString((files / name).string()); }
  QAction* menuAction(const QString& text) {
    for (QAction* one : window->findChildren<QAction*>()) {
      if (one->text() == text) return one;
    }
    return nullptr;
  }
  TemporaryFolder files;
};

TEST_F(ImportTest, WhatIsExportedComesBackAsAGroupAndUndoTakesItOut) {
  QAction *import = menuAction("Import tracks…"), *write = menuAction("Export tracks…");
  ASSERT_TRUE(import && write);
  EXPECT_TRUE(import->isEnabled());
  EXPECT_FALSE(write->isEnabled()) << "there are none yet";
  track();
  EXPECT_TRUE(write->isEnabled());
  const auto count = session().model.tracks()->tracks.size();
  session().jobs.exportTracks(file("roof.json"));
  ASSERT_TRUE(waitForJobs(*window));
  session().jobs.exportTracks(file("roof.csv"));
  ASSERT_TRUE(waitForJobs(*window));
  EXPECT_EQ(readTrackFile(files / "roof.json")->tracks.size(), count);
  EXPECT_EQ(readTrackFile(files / "roof.csv", 640, 360)->tracks.size(), count);
  session().jobs.importTracks(file("roof.json"));
  ASSERT_TRUE(waitForJobs(*window));
  ASSERT_EQ(session().model.tracks()->tracks.size(), 2 * count);
  EXPECT_EQ(session().model.workspace().labelOf(kFirstImportedId)->group, "roof");
  window->showView(desktop::View::ErrorMap);
  EXPECT_EQ(window->errorMap().rowCount(), static_cast<int>(2 * count));
  session().jobs.runSolve();
  ASSERT_TRUE(waitForJobs(*window));
  ASSERT_TRUE(session().model.solution());
  EXPECT_TRUE(session().model.solution()->find(kFirstImportedId)) << "they take part";
  session().model.undo();
  EXPECT_EQ(session().model.tracks()->tracks.size(), count);
}

TEST_F(ImportTest, ABadFileIsNamedInTheStepAndNothingChanges) {
  track();
  const TrackSetPtr before = session().model.tracks();
  ASSERT_TRUE(writeFileAtomically(files / "late.csv", "1,90,5,5\n1,91,6,5\n1,92,7,5\n").ok());
  session().jobs.importTracks(file("late.csv"));
  ASSERT_TRUE(waitForJobs(*window));
  EXPECT_TRUE(session().jobs.state(Step::Tracks).failure.contains("frame 90")) << session().jobs.state(Step::Tracks).failure.toStdString();
  EXPECT_EQ(session().model.tracks(), before);
  EXPECT_FALSE(session().model.workspace().undoStack().canUndo());
}

TEST_F(ImportTest, TracksAloneOpenAsAShotOnADarkField) {
  track();
  session().jobs.exportTracks(file("quay.json"));
  ASSERT_TRUE(waitForJobs(*window));
  const auto count = session().model.tracks()->tracks.size();
  session().jobs.open(file("quay.json"));
  ASSERT_TRUE(waitForJobs(*window));
  EXPECT_FALSE(session().model.tracks());
  session().jobs.runSolve();
  ASSERT_TRUE(waitForJobs(*window));
  ASSERT_TRUE(session().model.solution()) << session().jobs.state(Step::Solve).failure.toStdString();
  EXPECT_EQ(session().model.tracks()->tracks.size(), count);
  EXPECT_EQ(session().frames.frame(8).size(), QSize(640, 360));
  session().playback.setFrame(8);
  QTest::qWait(50);
  EXPECT_GT(window->plate().marks().size(), 50u);
  EXPECT_EQ(window->notice(), "");
  EXPECT_EQ(window->findChild<QPushButton*>("runTracks")->text(), "Read the tracks") << "there is nothing to follow";
}

}  // namespace dusky::testing

int main(int argc, char** argv) { return dusky::testing::runTests(argc, argv); }
