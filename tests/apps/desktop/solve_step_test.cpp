// The Solve step of the window under Xvfb: what is said about camera and lens, the staircase, carrying on, lenses loaded and saved.
#include <gtest/gtest.h>

#include <QApplication>
#include <QCheckBox>
#include <QComboBox>
#include <QDoubleSpinBox>
#include <QFile>
#include <QLabel>
#include <QLineEdit>
#include <QListWidget>
#include <QPushButton>

#include "apps/desktop/steps/staircase_view.h"
#include "apps/desktop/steps/step_settings.h"
#include "apps/desktop/steps/steps_panel.h"
#include "core/base/atomic_file.h"
#include "core/lens/lens_file.h"
#include "core/media/footage.h"
#include "core/project/edits.h"
#include "tests/apps/desktop/quay_window.h"
#include "tests/apps/desktop/run_tests.h"
#include "tests/support/temporary_folder.h"

namespace dusky::testing {
using desktop::MainWindow;

class SolveStepTest : public QuayWindow {
 protected:
  void SetUp() override {
    QuayWindow::SetUp();
    if (HasFatalFailure()) return;
    window->steps().openStep(Step::Solve);
    QTest::qWait(50);
  }

  void choose(const char* field, int index) {
    auto* box = window->findChild<QComboBox*>(field);
    ASSERT_TRUE(box) << field;
    box->setCurrentIndex(index);
    QTest::qWait(20);
  }
  void solve() {
    ASSERT_TRUE(click(*window, "runSolve"));
    ASSERT_TRUE(waitForJobs(*window));
    ASSERT_TRUE(session().model.solution());
    window->steps().openStep(Step::Solve);  // a finished solve opens the next one
    QTest::qWait(50);
  }
};

TEST_F(SolveStepTest, SensorsAreChosenByNameAndOwnOnesRemembered) {
  auto* field = window->findChild<QComboBox*>("sensorFormat");
  const int aps = field->findText("APS-C", Qt::MatchStartsWith);
  ASSERT_GT(aps, 0);
  emit field->activated(aps);
  EXPECT_DOUBLE_EQ(document().lens.sensor_mm, 23.5);
  LensSettings own = document().lens;
  own.sensor_mm = 21.37;
  session().model.set("Change sensor width", &Document::lens, own);
  emit field->activated(field->count() - 1);
  EXPECT_GT(field->findText("own, 21.37 mm"), 0);
}

TEST_F(SolveStepTest, WhatIsSaidGoesIntoTheDocumentAndUndoTakesItBack) {
  choose("motion", 3);
  EXPECT_EQ(document().lens.motion, CameraMotion::Rail);
  choose("focalKnowledge", 3);
  EXPECT_EQ(document().lens.focal, FocalKnowledge::Zoom);
  choose("lensModel", 3);
  EXPECT_EQ(document().lens.lens, LensChoice::Fisheye);
  EXPECT_TRUE(window->findChild<QComboBox*>("release k4")) << "a fisheye's own groups are offered";
  EXPECT_FALSE(window->findChild<QComboBox*>("release decentring"));
  choose("release k3", 2);
  EXPECT_EQ(document().lens.releases.at("k3"), Release::Off);
  for (int i = 0; i < 4; ++i) session().model.undo();
  EXPECT_EQ(document().lens, LensSettings());
  QTest::qWait(20);
  EXPECT_EQ(window->findChild<QComboBox*>("lensModel")->currentIndex(), 0);
  EXPECT_TRUE(window->findChild<QComboBox*>("release decentring"));
}

TEST_F(SolveStepTest, TheStaircaseIsShownAndAForcedGroupStands) {
  auto* chart = window->findChild<desktop::StaircaseView*>("staircase");
  ASSERT_TRUE(chart);
  EXPECT_TRUE(chart->isHidden());
  EXPECT_FALSE(window->findChild<QPushButton*>("carryOn")->isEnabled()) << "there is nothing to go on from";
  choose("release k2", 1);
  choose("release decentring", 2);
  solve();
  EXPECT_FALSE(chart->isHidden());
  const auto& steps = session().model.solution()->staircase;
  const auto stepOf = [&](const char* name) { return std::find_if(steps.begin(), steps.end(), [name](const StaircaseStep& s) { return s.released == name; }); };
  ASSERT_NE(stepOf("k2"), steps.end());
  EXPECT_TRUE(stepOf("k2")->kept);
  EXPECT_EQ(stepOf("k2")->why, "forced on");
  EXPECT_EQ(stepOf("decentring"), steps.end());
  EXPECT_EQ(chart->height(), 20 + 20 * static_cast<int>(steps.size()));
}

TEST_F(SolveStepTest, TheReadoutThatWasSolvedWithIsShown) {
  auto* found = window->findChild<QLabel*>("foundReadout");
  ASSERT_TRUE(found);
  solve();
  EXPECT_TRUE(found->isHidden()) << "all rows are read at once";
  LensSettings rolling = document().lens;
  rolling.readout_ms = 2;
  session().model.set("Change readout time", &Document::lens, rolling);
  solve();
  EXPECT_FALSE(found->isHidden());
  EXPECT_TRUE(found->text().contains("2.0 ms")) << found->text().toStdString();
}

TEST_F(SolveStepTest, TheVerdictStandsThereWithItsReasonsAndAMoverIsSelectedByAClick) {
  auto* verdict = window->findChild<QLabel*>("solveVerdict");
  auto* movers = window->findChild<QWidget*>("movers");
  ASSERT_TRUE(verdict && movers);
  EXPECT_TRUE(verdict->isHidden() && movers->isHidden());
  solve();
  EXPECT_FALSE(verdict->isHidden());
  EXPECT_TRUE(verdict->text().contains("Noise of the tracks by themselves")) << verdict->text().toStdString();
  EXPECT_TRUE(movers->isHidden()) << "nothing moves here";
  auto with = std::make_shared<Solution>(*session().model.solution());
  const std::vector<int> ids = {with->tracks[3].id, with->tracks[5].id, with->tracks[8].id};
  with->movers = {{"Mover A", 4, 10, ids, 0.2, 0.1}};
  session().model.takeSolution(with, session().model.workspace().solutionKeys());
  QTest::qWait(20);
  EXPECT_FALSE(movers->isHidden());
  auto* button = window->findChild<QPushButton*>("Mover A");
  ASSERT_TRUE(button);
  EXPECT_TRUE(button->text().contains("3 tracks, frames 4–10")) << button->text().toStdString();
  ASSERT_TRUE(click(*window, "Mover A"));
  EXPECT_EQ(session().selection.ids(), ids);
  EXPECT_EQ(session().playback.frame(), 7);
}

TEST_F(SolveStepTest, CarryingOnTakesWhatWasSetAsideOut) {
  solve();
  const SolutionPtr first = session().model.solution();
  const int id = std::find_if(first->tracks.begin(), first->tracks.end(), [](const SolvedTrack& t) { return t.state == TrackState::Kept && !t.holdout; })->id;
  session().model.run(setAside(document(), {id}));
  EXPECT_EQ(session().model.workspace().status(Step::Solve).state, StepState::Stale);
  ASSERT_TRUE(click(*window, "carryOn"));
  ASSERT_TRUE(waitForJobs(*window));
  const SolutionPtr second = session().model.solution();
  ASSERT_NE(second, first);
  EXPECT_EQ(second->find(id)->reason, AsideReason::ByArtist);
  EXPECT_EQ(session().model.workspace().status(Step::Solve).state, StepState::Current);
  EXPECT_NEAR(second->lens().focal_px, first->lens().focal_px, 3);
}

TEST_F(SolveStepTest, ALoadedLensIsLockedAndABadFileSaysSo) {
  Lens lens = Lens::simple(640, 360, 560);
  lens.k1() = -0.06;
  ASSERT_TRUE(writeFileAtomically(folder() / "lens.json", lensToJson(lens)).ok());
  ASSERT_TRUE(writeFileAtomically(folder() / "no-lens.json", "{}").ok());
  QString said;
  QObject::connect(&session().model, &desktop::DocumentModel::problem, window.get(), [&](const QString& sentence) { said = sentence; });
  desktop::useLensFile(session(), QString::fromStdString((folder() / "no-lens.json").string()));
  EXPECT_TRUE(said.contains("neither a lens"));
  EXPECT_TRUE(document().lens.known.empty());
  desktop::useLensFile(session(), QString::fromStdString((folder() / "lens.json").string()));
  auto* load = window->findChild<QPushButton*>("loadLens");
  EXPECT_EQ(load->text(), "Use no loaded lens");
  solve();
  EXPECT_EQ(session().model.solution()->lens(), lens);
  EXPECT_FALSE(click(*window, "loadLens")) << "seldom needed";
  ASSERT_TRUE(click(*window, "more solve"));
  ASSERT_TRUE(click(*window, "loadLens"));
  EXPECT_TRUE(document().lens.known.empty());
}
// Advice for the report was worked out under settings that the solve was not made with.
TEST_F(SolveStepTest, AStaleSolveIsDeliveredWithoutAdvice) {
  solve();
  FootageSettings footage = document().footage;
  footage.step = 2;
  session().model.set("Change step", &Document::footage, footage);
  ASSERT_NE(session().model.workspace().status(Step::Solve).state, StepState::Current);
  const auto job = session().model.workspace().deliveryJob();
  ASSERT_TRUE(job.ok());
  EXPECT_FALSE(job->current);
  const TemporaryFolder out;
  const auto files = job->run(out / "delivery", {}, Progress());
  ASSERT_TRUE(files.ok()) << files.error().message;
  EXPECT_NE(readFile(out / "delivery" / "report.json")->find("\"advice\": []"), std::string::npos);
}

TEST_F(SolveStepTest, AReviewMovieIsDeliveredWithWhatItShows) {
  solve();
  const TemporaryFolder out;
  window->steps().openStep(Step::Deliver);
  auto* times = window->findChild<QDoubleSpinBox*>("reviewWhisker");
  EXPECT_FALSE(times->isVisible()) << "no movie is asked for";
  DeliverySettings delivery = document().delivery;
  delivery.folder = (out / "delivery").string(), delivery.choices.what.clear();
  session().model.set("Change delivery", &Document::delivery, delivery);
  auto* wanted = window->findChild<QCheckBox*>("deliver review");
  window->steps().ensureWidgetVisible(wanted);
  QTest::mouseClick(wanted, Qt::LeftButton, {}, QPoint(8, wanted->height() / 2));
  EXPECT_TRUE(times->isVisible());
  times->setValue(50);
  EXPECT_EQ(document().delivery.choices.review.whisker, 50);
  ASSERT_TRUE(click(*window, "runDeliver"));
  ASSERT_TRUE(waitForJobs(*window));
  const auto movie = openFootage(out / "delivery" / "review.mp4");
  ASSERT_TRUE(movie.ok()) << movie.error().message;
  EXPECT_EQ((*movie)->info().frames(), 16);
  EXPECT_EQ(window->findChild<QListWidget*>("delivered")->count(), 3) << "with the receipt and its page";
  session().model.undo();
  session().model.undo();
  EXPECT_FALSE(document().delivery.choices.wants("review"));
  EXPECT_FALSE(times->isVisible());
}

TEST_F(SolveStepTest, APresetIsDeliveredAndItsReceiptIsShown) {
  solve();
  const TemporaryFolder out;
  DeliverySettings delivery = document().delivery;
  delivery.folder = (out / "delivery").string();
  session().model.set("Change delivery folder", &Document::delivery, delivery);
  window->steps().openStep(Step::Deliver);
  auto* presets = window->findChild<QComboBox*>("deliveryPreset");
  ASSERT_EQ(presets->currentIndex(), 0) << "as chosen below";
  window->steps().ensureWidgetVisible(presets);
  QTest::keyClick(presets, Qt::Key_Down);
  EXPECT_EQ(presets->currentText(), "3D scene");
  EXPECT_TRUE(document().delivery.choices.wants("camera.usda"));
  EXPECT_FALSE(document().delivery.choices.wants("camera.csv"));
  auto* plates = window->findChild<QCheckBox*>("deliver plates");
  auto* format = window->findChild<QComboBox*>("plateFormat");
  EXPECT_FALSE(format->isVisible());
  window->steps().ensureWidgetVisible(plates);
  QTest::mouseClick(plates, Qt::LeftButton, {}, QPoint(8, plates->height() / 2));
  EXPECT_TRUE(format->isVisible());
  EXPECT_EQ(presets->currentIndex(), 0) << "it is no preset any more";
  ASSERT_TRUE(click(*window, "runDeliver"));
  ASSERT_TRUE(waitForJobs(*window));
  EXPECT_TRUE(std::filesystem::exists(out / "delivery" / "plates"));
  const auto* receipt = window->findChild<QLabel*>("receipt");
  EXPECT_TRUE(receipt->isVisible());
  EXPECT_TRUE(receipt->text().contains("checks passed")) << receipt->text().toStdString();
  EXPECT_TRUE(receipt->text().contains("drift"));
  EXPECT_FALSE(window->findChild<QLabel*>("receiptPicture")->pixmap().isNull());
  session().model.undo();
  session().model.undo();
  EXPECT_TRUE(document().delivery.choices.wants("camera.csv")) << "presets are undone like anything else";
}

TEST_F(SolveStepTest, NamesAndRateOfFilesAreChosenInTheirFields) {
  solve();
  const TemporaryFolder out;
  DeliverySettings delivery = document().delivery;
  delivery.folder = (out / "delivery").string(), delivery.choices.what = {"camera.usda"};
  session().model.set("Change delivery", &Document::delivery, delivery);
  window->steps().openStep(Step::Deliver);
  auto* rate = window->findChild<QDoubleSpinBox*>("deliveryRate");
  EXPECT_FALSE(rate->isVisible());
  window->steps().ensureWidgetVisible(window->findChild<QWidget*>("deliveryWorld"));
  ASSERT_TRUE(click(*window, "deliveryWorld"));
  EXPECT_TRUE(rate->isVisible());
  rate->setValue(25);
  auto* name = window->findChild<QLineEdit*>("cameraName");
  window->steps().ensureWidgetVisible(name);
  name->selectAll();
  QTest::keyClicks(name, "quayCam");
  QTest::keyClick(name, Qt::Key_Return);
  EXPECT_EQ(document().delivery.choices.world.camera, "quayCam");
  name->clear();
  QTest::keyClick(name, Qt::Key_Return);
  EXPECT_EQ(name->text(), "quayCam") << "a node must have a name";
  ASSERT_TRUE(click(*window, "runDeliver"));
  ASSERT_TRUE(waitForJobs(*window));
  const std::string usda = *readFile(out / "delivery" / "camera.usda");
  EXPECT_NE(usda.find("def Camera \"quayCam\""), std::string::npos);
  EXPECT_NE(usda.find("timeCodesPerSecond = 25"), std::string::npos);
  session().model.undo();
  EXPECT_EQ(document().delivery.choices.world.camera, "camera");
}

// What is wrong is said with its remedy; pressing it solves again, and what it did gain is told.
TEST_F(SolveStepTest, AdviceIsTakenUpByAButtonAndItsGainIsTold) {
  LensSettings lens = document().lens;
  lens.lens = LensChoice::None, lens.focal = FocalKnowledge::Near, lens.focal_mm = 30, lens.focal_tolerance_pc = 5;
  session().model.set("Change lens", &Document::lens, lens);
  solve();
  window->steps().openStep(Step::Solve);
  ASSERT_TRUE(waitUntil([this] { return !session().advisor.advice().empty(); }, 30000));
  const auto& advice = session().advisor.advice();
  const auto lens_first = std::find_if(advice.begin(), advice.end(), [](const Advice& a) { return a.action == AdviceAction::FreeLens; });
  ASSERT_NE(lens_first, advice.end()) << advice[0].sentence;
  const Advice taken = *lens_first;
  const SolutionPtr before = session().model.solution();
  const std::string button = "advice " + std::to_string(lens_first - advice.begin());
  window->steps().ensureWidgetVisible(window->findChild<QWidget*>(button.c_str()));
  ASSERT_TRUE(click(*window, button.c_str()));
  ASSERT_TRUE(waitForJobs(*window));
  const SolutionPtr after = session().model.solution();
  ASSERT_NE(after, before);
  EXPECT_LT(after->holdout_rms_px, before->holdout_rms_px);
  EXPECT_LT(std::abs(after->holdout_rms_px - taken.holdout_px), before->holdout_rms_px - taken.holdout_px) << "nearer to what was promised than to before";
  ASSERT_TRUE(window->findChild<QLabel*>("adviceOutcome"));
  EXPECT_TRUE(window->findChild<QLabel*>("adviceOutcome")->text().contains("expected")) << session().advisor.outcome().toStdString();
  session().model.undo();
  EXPECT_EQ(document().lens, lens);
  EXPECT_EQ(session().model.solution(), before);
}

}  // namespace dusky::testing

int main(int argc, char** argv) { return dusky::testing::runTests(argc, argv); }
