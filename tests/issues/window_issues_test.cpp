// Past bugs of the window, each in a real one.
#include <QAbstractButton>
#include <QApplication>
#include <QImage>
#include <QMessageBox>
#include <fmt/format.h>

#include <cstring>

#include "apps/desktop/errormap/error_map.h"
#include "apps/desktop/space/space_scene.h"
#include "apps/desktop/steps/fields.h"
#include "core/project/edits.h"
#include "tests/apps/desktop/quay_window.h"
#include "tests/apps/desktop/run_tests.h"
#include "tests/support/holder.h"
#include "tests/support/temporary_folder.h"

namespace dusky::testing {
using desktop::ViewSettings;

class WindowIssues : public QuayWindow {
 protected:
  /// Without the question whether to save what is there.
  void openAnother(const std::filesystem::path& path) {
    session().jobs.open(QString::fromStdString(path.string()));
    ASSERT_TRUE(waitForJobs(*window));
  }
};

// Opening another shot put the tool away, and that redrew the error map's old rows from the new shot's tracks, of which there were none.
TEST_F(WindowIssues, AnotherShotOpensWhileAToolIsInHand) {
  window->showView(desktop::View::ErrorMap);
  track();
  ASSERT_GT(window->errorMap().rowCount(), 100);
  session().view.setTool(ViewSettings::Tool::Hand);
  openAnother(folder() / "quay.0001.png");
  EXPECT_EQ(window->errorMap().rowCount(), 0);
  EXPECT_EQ(session().view.tool(), ViewSettings::Tool::Box);
}

// A solve was tagged with the tracks of the moment at which it ended.
TEST_F(WindowIssues, UndoToOtherTracksDuringASolveShowsNoForeignSolve) {
  track();
  const TrackSetPtr many = session().model.tracks();
  session().model.run(desktop::changeField("Fewer", document(), &Document::tracking, &FollowOptions::features, 250));
  track();
  const TrackSetPtr few = session().model.tracks();
  ASSERT_NE(few, many);
  session().jobs.runSolve();
  ASSERT_TRUE(session().jobs.busy());
  session().model.undo();
  ASSERT_TRUE(waitForJobs(*window));
  EXPECT_EQ(session().model.tracks(), many);
  EXPECT_FALSE(session().model.solution());
  session().model.redo();
  EXPECT_EQ(session().model.tracks(), few);
  EXPECT_TRUE(session().model.solution());
}

// Any view setting coloured every cell of the error map anew.
TEST_F(WindowIssues, OnlyTheScaleColoursTheErrorMapAnew) {
  window->showView(desktop::View::ErrorMap);
  track();
  solve();
  const auto before = window->errorMap().cells().cacheKey();
  session().view.setMarks(60);
  session().view.showGrid(!session().view.gridShown());
  session().view.setTool(ViewSettings::Tool::Lasso);
  EXPECT_EQ(window->errorMap().cells().cacheKey(), before);
  session().view.setErrorTop(2 * session().view.errorTop());
  EXPECT_NE(window->errorMap().cells().cacheKey(), before);
}

// Every edit of a mask opened the footage once more, and scanned all of it when it was a movie.
TEST_F(WindowIssues, AMaskEditDoesNotOpenTheFootageAgain) {
  const TemporaryFolder copy;
  std::filesystem::copy(folder(), copy / "shot", std::filesystem::copy_options::recursive);
  ASSERT_TRUE(openAndWait(*window, QString::fromStdString((copy / "shot" / "quay.0001.png").string())));
  const QImage whole = session().frames.frame(1);
  ASSERT_FALSE(whole.isNull());
  // What is open goes on; nothing can be opened anew: only the picture that is asked for is left.
  for (int n = 2; n <= 16; ++n) std::filesystem::remove(copy / "shot" / fmt::format("quay.{:04}.png", n));
  QString failure;
  QObject::connect(&session().frames, &desktop::FrameStore::failed, [&](const QString& why) { failure = why; });
  MaskSettings masks;
  masks.shapes.push_back({.id = 1, .name = "post", .shape = MaskShape::Box});
  masks.shapes.back().keys.push_back({.frame = 1, .position = Vec2(200, 150), .points = {Vec2(120, 90)}});
  session().model.set("Mask", &Document::masks, masks);
  ASSERT_TRUE(waitUntil([&] { return !session().frames.frame(1).isNull(); }, 5000)) << failure.toStdString();
  EXPECT_NE(session().frames.frame(1).pixel(200, 150), whole.pixel(200, 150)) << "the mask shows";
}

// The cameras in Space all had the first lens.
TEST_F(WindowIssues, TheCamerasOfAZoomOpenAsTheirLensesDo) {
  track();
  solve();
  auto zoom = std::make_shared<Solution>(*session().model.solution());
  const auto cameraLines = [&] { return desktop::buildSpace(session(), false).lines; };
  const auto before = cameraLines();
  for (SolvedFrame& frame : zoom->frames) frame.focal_px = 2 * zoom->lens().focal_px;
  session().model.takeSolution(zoom, session().model.workspace().solutionKeys());
  const auto after = cameraLines();
  ASSERT_EQ(after.size(), before.size());
  std::size_t moved = 0;
  for (std::size_t i = 0; i < after.size(); ++i) moved += std::memcmp(&after[i], &before[i], sizeof after[i]) != 0;
  EXPECT_GT(moved, 40u) << "frusta are narrower";
}

// Two windows on one project: the last to write won, and neither was told.
TEST_F(WindowIssues, AProjectThatIsOpenElsewhereIsReadOnlyAndSaysWhoHasIt) {
  const TemporaryFolder out;
  const std::filesystem::path project = out / "pier.moth";
  ASSERT_TRUE(session().model.saveAs(QString::fromStdString(project.string())));
  EXPECT_TRUE(window->windowTitle().contains("pier.moth · saved")) << window->windowTitle().toStdString();
  openAnother(folder() / "quay.0001.png");
  {
    const Holder anna(project);
    openAnother(project);
    EXPECT_TRUE(window->notice().contains("anna on quay-3")) << window->notice().toStdString();
    EXPECT_TRUE(window->windowTitle().contains("read only"));
    EXPECT_FALSE(session().model.unsaved());
    session().model.set("Seed", &Document::seed, 5);
    EXPECT_TRUE(session().model.unsaved()) << "what is changed is in no file";
  }
  openAnother(project);
  EXPECT_EQ(document().seed, 1);
  EXPECT_TRUE(window->windowTitle().contains("saved"));
  EXPECT_TRUE(window->notice().isEmpty());
  openAnother(project);
  EXPECT_TRUE(window->windowTitle().contains("saved")) << "a window is no stranger to itself";
}

TEST_F(WindowIssues, AProjectThatAnotherProgramChangedIsNotWrittenOverAndCanBeOpenedAnew) {
  const TemporaryFolder out;
  const std::filesystem::path project = out / "pier.moth", other = out / "other.moth";
  ASSERT_TRUE(session().model.saveAs(QString::fromStdString(other.string())));
  session().model.set("Seed", &Document::seed, 9);
  ASSERT_TRUE(session().model.saveAs(QString::fromStdString(project.string())));
  std::filesystem::rename(other, project);
  session().model.set("Seed", &Document::seed, 7);
  EXPECT_TRUE(waitUntil([this] { return window->notice().contains("changed by another program"); }, 5000)) << window->notice().toStdString();
  EXPECT_TRUE(session().model.unsaved());
  QEvent activated(QEvent::ActivationChange);
  QApplication::sendEvent(window.get(), &activated);
  auto* box = window->findChild<QMessageBox*>("projectChanged");
  ASSERT_TRUE(box) << "it is asked what to do";
  EXPECT_TRUE(window->windowTitle().contains("not saved"));
  for (QAbstractButton* button : box->buttons()) {
    if (button->text() == "Open it anew") button->click();
  }
  ASSERT_TRUE(waitForJobs(*window));
  EXPECT_EQ(document().seed, 9) << "as the file has it now";
  EXPECT_FALSE(session().model.unsaved());
}

}  // namespace dusky::testing

int main(int argc, char** argv) { return dusky::testing::runTests(argc, argv); }
