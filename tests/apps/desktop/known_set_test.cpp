// What is known of the set, said, shown, changed and switched off in a real window under Xvfb.
#include <gtest/gtest.h>

#include <QAction>
#include <QApplication>
#include <QCheckBox>
#include <QComboBox>
#include <QDialog>
#include <QDoubleSpinBox>
#include <QLabel>
#include <QLineEdit>
#include <QPushButton>
#include <cmath>

#include "apps/desktop/plate/plate_view.h"
#include "apps/desktop/space/space_view.h"
#include "apps/desktop/steps/steps_panel.h"
#include "apps/desktop/sweep/sweep_view.h"
#include "core/base/atomic_file.h"
#include "core/knowledge/known_scalars.h"
#include "core/knowledge/statements.h"
#include "core/project/edits.h"
#include "tests/apps/desktop/quay_window.h"
#include "tests/apps/desktop/run_tests.h"
#include "tests/support/temporary_folder.h"

namespace dusky::testing {
using desktop::Selection;

class KnownSetTest : public SolvedQuayWindow {
 protected:
  std::vector<int> placed(std::size_t first, std::size_t count) {
    std::vector<int> ids;
    for (const SolvedTrack& track : session().model.solution()->tracks) {
      if (track.state == TrackState::Kept && !track.holdout && !track.at_infinity) ids.push_back(track.id);
    }
    return std::vector<int>(ids.begin() + static_cast<std::ptrdiff_t>(first), ids.begin() + static_cast<std::ptrdiff_t>(first + count));
  }
  void select(const std::vector<int>& ids) {
    session().selection.pick(ids, Selection::Mode::Replace);
    QTest::qWait(20);
  }
  /// The dialog that is open.
  QDialog* dialog() {
    QTest::qWait(30);
    for (QDialog* one : window->findChildren<QDialog*>("statementDialog")) {
      if (one->isVisible()) return one;
    }
    return nullptr;
  }
  /// Makes tracks a plane, the first one, and opens what is said of it.
  QDialog* planeOf(const std::vector<int>& tracks) {
    window->steps().openStep(Step::Scene);
    select(tracks);
    EXPECT_TRUE(click(*window, "make Flat"));
    QTest::qWait(30);
    EXPECT_TRUE(click(*window, "edit plane 1: flat"));
    return dialog();
  }
  template <class Field>
  static Field* in(QDialog* dialog, const char* name) {
    return dialog->findChild<Field*>(name);
  }
  static void press(QDialog* dialog, const char* name) { QTest::mouseClick(in<QPushButton>(dialog, name), Qt::LeftButton); }
  const Knowledge& known() { return document().picks.knowledge; }
};

TEST_F(KnownSetTest, KnowledgeOfTheSetIsTakenFromAFileShownAndSwitchedOff) {
  const TemporaryFolder folder;
  const auto path = folder / "set.json";
  ASSERT_TRUE(writeFileAtomically(path, R"({"format":"dusky-moth-knowledge","version":1,"sets":[{"name":"quay","members":[{"id":99999}]}]})").ok());
  const SolutionPtr before = session().model.solution();
  window->useKnowledgeFile(QString::fromStdString(path.string()));
  EXPECT_TRUE(document().picks.knowledge.sets.empty()) << "refused, and said so in the notice";
  ASSERT_TRUE(writeFileAtomically(path, R"({"format":"dusky-moth-knowledge","version":1,"sets":[{"name":"quay","sigma":3,
    "members":{"regions":[{"frame":8,"polygon":[[0,0],[4000,0],[4000,4000],[0,4000]]}]}}]})")
                  .ok());
  window->useKnowledgeFile(QString::fromStdString(path.string()));
  ASSERT_EQ(document().picks.knowledge.sets.size(), 1u);
  EXPECT_EQ(session().model.workspace().status(Step::Solve).state, StepState::Stale) << "it was not made with it";
  // Saved and used again it means the same tracks, by where they are seen.
  const std::vector<int> tracks = document().picks.knowledge.sets[0].tracks;
  window->saveKnowledgeFile(QString::fromStdString((folder / "saved.json").string()));
  EXPECT_EQ(readFile(folder / "saved.json")->find("\"id\""), std::string::npos);
  window->useKnowledgeFile(QString::fromStdString((folder / "saved.json").string()));
  EXPECT_EQ(document().picks.knowledge.sets[0].tracks, tracks);
  solve();
  ASSERT_EQ(session().model.solution()->knowledge.sets.size(), 1u);
  EXPECT_NE(session().model.solution(), before);
  QTest::qWait(30);
  auto* row = window->findChild<QCheckBox*>("known quay: flat ± 3 units");
  ASSERT_TRUE(row && row->isChecked());
  window->steps().ensureWidgetVisible(row);
  QTest::qWait(30);
  QTest::mouseClick(row, Qt::LeftButton, {}, QPoint(8, row->height() / 2));
  EXPECT_FALSE(document().picks.knowledge.sets[0].on);
  QTest::qWait(30);
  ASSERT_TRUE(session().model.solution());
  EXPECT_TRUE(session().model.solution()->knowledge.empty()) << "off, the solve from before is there at once";
  EXPECT_EQ(session().model.solution()->rms_px, before->rms_px);
  EXPECT_EQ(session().model.solution()->frames.back().pose.centre, before->frames.back().pose.centre) << "to the last digit";
  ASSERT_TRUE(click(*window, "forget quay: flat ± 3 units"));
  EXPECT_TRUE(document().picks.knowledge.sets.empty());
  session().model.undo();
  EXPECT_EQ(document().picks.knowledge.sets.size(), 1u);
}

TEST_F(KnownSetTest, PlanesAreMadeFromTheSelectionRelatedSolvedComparedAndUndone) {
  const auto placedFrom = [&](std::size_t first) {
    std::vector<int> ids;
    for (const SolvedTrack& track : session().model.solution()->tracks) {
      if (track.state == TrackState::Kept && !track.holdout && !track.at_infinity) ids.push_back(track.id);
    }
    return std::vector<int>(ids.begin() + static_cast<std::ptrdiff_t>(first), ids.begin() + static_cast<std::ptrdiff_t>(first) + 3);
  };
  const std::vector<int> wall = placedFrom(0), side = placedFrom(8);
  EXPECT_TRUE(session().model.solution()->knowledge.empty());
  window->steps().openStep(Step::Scene);
  session().selection.pick(wall, Selection::Mode::Replace);
  ASSERT_TRUE(click(*window, "make Flat"));
  session().selection.pick(side, Selection::Mode::Replace);
  ASSERT_TRUE(click(*window, "make Upright"));
  ASSERT_EQ(document().picks.knowledge.sets.size(), 2u);
  EXPECT_EQ(document().picks.knowledge.sets[0].tracks, wall);
  EXPECT_EQ(document().picks.knowledge.sets[1].facing, SetFacing::Upright);
  // Its name and how far its tracks stand off it.
  QTest::qWait(30);
  ASSERT_TRUE(click(*window, "edit plane 1: flat"));
  auto* dialog = window->findChild<QDialog*>("statementDialog");
  ASSERT_TRUE(dialog);
  dialog->findChild<QLineEdit*>("statementName")->setText("plane 2");
  QTest::mouseClick(dialog->findChild<QPushButton*>("takeStatement"), Qt::LeftButton);
  EXPECT_TRUE(dialog->isVisible()) << "two of one name: it says so and waits";
  dialog->findChild<QLineEdit*>("statementName")->setText("quay wall");
  session().selection.pick({side[0]}, Selection::Mode::Replace);
  QTest::mouseClick(dialog->findChild<QPushButton*>("addMembers"), Qt::LeftButton);
  QTest::mouseClick(dialog->findChild<QPushButton*>("takeStatement"), Qt::LeftButton);
  EXPECT_EQ(document().picks.knowledge.sets[0].name, "quay wall");
  EXPECT_EQ(document().picks.knowledge.sets[0].tracks.size(), 4u);
  session().model.undo();
  EXPECT_EQ(document().picks.knowledge.sets[0].tracks, wall);
  // Square to each other.
  QTest::qWait(30);
  ASSERT_TRUE(click(*window, "relate"));
  QTest::qWait(30);
  for (QDialog* one : window->findChildren<QDialog*>("statementDialog")) dialog = one->isVisible() ? one : dialog;
  QTest::mouseClick(dialog->findChild<QPushButton*>("takeStatement"), Qt::LeftButton);
  ASSERT_EQ(document().picks.knowledge.relations.size(), 1u);
  EXPECT_EQ(document().picks.knowledge.relations[0].value, 90);
  solve();
  const SolutionPtr known = session().model.solution();
  ASSERT_FALSE(known->knowledge.empty());
  EXPECT_NEAR(known->knowledge.statements.back().found, M_PI / 2, 1e-4) << "they stand square";
  // Both solves stand in the ledger, with what was changed.
  const dusky::Run& run = session().model.workspace().ledger().runs().back();
  const auto changes = session().model.workspace().changesOf(run);
  EXPECT_TRUE(std::any_of(changes.begin(), changes.end(), [](const std::string& c) { return c.find("1 relation") != std::string::npos; }));
  EXPECT_NE(run.parent, 0);
  for (int k = 0; k < 3; ++k) session().model.undo();
  EXPECT_TRUE(document().picks.knowledge.empty());
  EXPECT_TRUE(session().model.solution()->knowledge.empty()) << "the solve from before";
}

TEST_F(KnownSetTest, ASecondDistanceSaysHowFarItIsOffBeforeASolveTakesItIn) {
  std::vector<int> ids;
  for (const SolvedTrack& track : session().model.solution()->tracks) {
    if (track.state == TrackState::Kept && !track.holdout && !track.at_infinity) ids.push_back(track.id);
  }
  window->steps().openStep(Step::Scene);
  const double first = (placeOf(ids[0]) - placeOf(ids[5])).norm(), second = (placeOf(ids[2]) - placeOf(ids[9])).norm();
  session().model.run(useAsLength(document(), ids[0], ids[5], first));
  session().selection.pick({ids[2], ids[9]}, Selection::Mode::Replace);
  window->trackActions().setLengthMetres(1.25 * second);
  window->trackActions().distance->trigger();
  ASSERT_EQ(document().picks.knowledge.distances.size(), 1u);
  QTest::qWait(50);
  // Both count alike: the scale is between them, and each is off by half of what they disagree.
  QStringList said;
  for (const QLabel* label : window->findChild<QWidget*>("knowledgeRows")->findChildren<QLabel*>()) said << label->text();
  const QString all = said.join("|");
  EXPECT_TRUE(all.contains("as the scene is placed (−10.5") || all.contains("as the scene is placed (−10.6")) << all.toStdString();
}

TEST_F(KnownSetTest, APlaneLiesAsThreeTracksDoOrAsNumbersSay) {
  QDialog* open = planeOf(placed(0, 4));
  ASSERT_TRUE(open);
  EXPECT_FALSE(in<QDoubleSpinBox>(open, "statementX")->isEnabled()) << "it lies any way";
  in<QComboBox>(open, "statementFacing")->setCurrentIndex(3);
  EXPECT_FALSE(in<QPushButton>(open, "axisByTracks")->isEnabled()) << "four are selected";
  const std::vector<int> three = placed(10, 3);
  select(three);
  press(open, "axisByTracks");
  in<QDoubleSpinBox>(open, "statementOffset")->setValue(1.5);
  press(open, "takeStatement");
  ASSERT_EQ(known().sets[0].facing, SetFacing::Given);
  const Vec3 normal = (placeOf(three[1]) - placeOf(three[0])).cross(placeOf(three[2]) - placeOf(three[0])).normalized();
  EXPECT_GT(known().sets[0].axis.normalized().dot(normal), 1 - 1e-6);
  EXPECT_NEAR(known().sets[0].offset.value_or(0), 1.5, 1e-9);
  // Numbers, in what the scene calls up.
  SceneSettings scene = document().picks.scene;
  scene.up = UpAxis::Z;
  session().model.run(changeScene("Z up", document(), scene));
  QTest::qWait(30);
  const QString says = "edit " + QString::fromStdString(inWords(known(), {StatementRef::Part::Set, 0}, session().model.scene()->unit()));
  ASSERT_TRUE(click(*window, says.toUtf8().constData()));
  open = dialog();
  ASSERT_TRUE(open);
  for (const auto& [name, value] : {std::pair{"statementX", 0.0}, {"statementY", 0.0}, {"statementZ", 2.0}}) in<QDoubleSpinBox>(open, name)->setValue(value);
  in<QDoubleSpinBox>(open, "statementOffset")->setValue(in<QDoubleSpinBox>(open, "statementOffset")->minimum());
  press(open, "takeStatement");
  EXPECT_LT((known().sets[0].axis - 2 * Vec3::UnitY()).norm(), 1e-9) << "Z of the numbers is Y inside";
  EXPECT_FALSE(known().sets[0].offset);
}

TEST_F(KnownSetTest, APlaneIsHeldWhereASolveFoundIt) {
  QDialog* open = planeOf(placed(0, 40));
  ASSERT_TRUE(open);
  EXPECT_FALSE(in<QPushButton>(open, "axisAsFound")->isEnabled()) << "no solve has found it yet";
  in<QDoubleSpinBox>(open, "statementSigma")->setValue(0.3);
  press(open, "takeStatement");
  solve();
  QTest::qWait(30);
  ASSERT_EQ(session().model.solution()->knowledge.sets.size(), 1u);
  const SolvedSet found = session().model.solution()->knowledge.sets[0];
  const Similarity scene = session().model.scene()->scene_from_solve;
  const QString says = "edit " + QString::fromStdString(inWords(known(), {StatementRef::Part::Set, 0}, session().model.scene()->unit()));
  ASSERT_TRUE(click(*window, says.toUtf8().constData()));
  open = dialog();
  ASSERT_TRUE(open);
  ASSERT_TRUE(in<QPushButton>(open, "axisAsFound")->isEnabled()) << found.undetermined;
  press(open, "axisAsFound");
  press(open, "takeStatement");
  EXPECT_EQ(known().sets[0].facing, SetFacing::Given);
  EXPECT_LT((known().sets[0].axis - scene.rotation * found.axis).norm(), 2e-4);
  EXPECT_NEAR(known().sets[0].offset.value_or(1e9), (scene.rotation * found.axis).dot(scene * found.through), 1e-3);
  session().model.undo();
  EXPECT_EQ(known().sets[0].facing, SetFacing::Free);
}

TEST_F(KnownSetTest, AGivenPlaneIsTurnedByItsTipInSpaceAndOnThePlate) {
  QDialog* open = planeOf(placed(6, 3));
  ASSERT_TRUE(open);
  EXPECT_FALSE(window->plate().setTipPlace()) << "it lies any way";
  in<QComboBox>(open, "statementFacing")->setCurrentIndex(3);
  QTest::qWait(30);
  const auto numbers = [&] {
    return Vec3(in<QDoubleSpinBox>(open, "statementX")->value(), in<QDoubleSpinBox>(open, "statementY")->value(),
                in<QDoubleSpinBox>(open, "statementZ")->value());
  };
  for (QWidget* view : {static_cast<QWidget*>(&window->plate()), static_cast<QWidget*>(&window->space())}) {
    const bool plate = view == &window->plate();
    const auto tip = [&] { return plate ? window->plate().setTipPlace() : window->space().setTipPlace(); };
    ASSERT_TRUE(tip());
    const Vec3 before = numbers();
    const QPoint from = tip()->toPoint(), to = from + QPoint(24, 18);
    QTest::mousePress(view, Qt::LeftButton, {}, from);
    QTest::mouseMove(view, to);
    QTest::qWait(20);
    QTest::mouseRelease(view, Qt::LeftButton, {}, to);
    QTest::qWait(20);
    EXPECT_GT((numbers().normalized() - before.normalized()).norm(), 0.05) << (plate ? "Plate" : "Space");
    ASSERT_TRUE(tip());
    EXPECT_LT(std::hypot(tip()->x() - to.x(), tip()->y() - to.y()), 6) << "it went where the pointer is";
  }
  const Vec3 turned = numbers().normalized();
  press(open, "takeStatement");
  EXPECT_GT(known().sets[0].axis.normalized().dot(turned), 1 - 1e-9);
  QTest::qWait(30);
  EXPECT_FALSE(window->plate().setTipPlace()) << "the dialog is closed";
  session().model.undo();
  EXPECT_EQ(known().sets[0].facing, SetFacing::Free) << "one change";
}

TEST_F(KnownSetTest, PairsAndDistancesFromPlanesAreSaidAndSolved) {
  window->steps().openStep(Step::Scene);
  const std::vector<int> four = placed(4, 4), wall = placed(20, 4);
  select({four[0], four[1], four[2]});
  EXPECT_FALSE(window->trackActions().equal->isEnabled()) << "three are no pairs";
  select({four[2], four[0], four[3], four[1]});
  window->trackActions().equal->trigger();
  ASSERT_EQ(known().equals.size(), 1u);
  EXPECT_EQ(known().equals[0].pairs, (std::vector<TrackPair>{{four[2], four[0]}, {four[3], four[1]}})) << "as they were picked";
  window->trackActions().mirrored->trigger();
  ASSERT_EQ(known().mirrors.size(), 1u);
  select(wall);
  ASSERT_TRUE(click(*window, "make Flat"));
  QTest::qWait(30);
  select({four[0]});
  ASSERT_TRUE(click(*window, "planeDistance"));
  QDialog* open = dialog();
  ASSERT_TRUE(open);
  in<QDoubleSpinBox>(open, "statementValue")->setValue(0.7);
  in<QDoubleSpinBox>(open, "statementSigma")->setValue(0.05);
  press(open, "takeStatement");
  ASSERT_EQ(known().plane_distances.size(), 1u);
  EXPECT_EQ(known().plane_distances[0], (KnownPlaneDistance{.track = four[0], .plane = "plane 1", .metres = 0.7, .sigma = 0.05}));
  // Off, its plane takes what speaks of it along.
  QTest::qWait(30);
  Knowledge loose = known();
  loose.equals[0].sigma = 1, loose.mirrors[0].sigma = 1;
  session().model.run(changeKnowledge("Loosen", document(), loose));
  solve();
  const SolutionPtr solved = session().model.solution();
  ASSERT_TRUE(solved && solved->knowledge.shapesSolve());
  EXPECT_EQ(solved->knowledge.statements.size(), 3u);
  QStringList said;
  for (const QLabel* label : window->findChild<QWidget*>("knowledgeRows")->findChildren<QLabel*>()) said << label->text();
  EXPECT_GE(said.join("|").count("made exact it would cost"), 2) << said.join("|").toStdString();
  Knowledge off = known();
  switchStatement(off, {StatementRef::Part::Set, 0}, false);
  EXPECT_FALSE(off.plane_distances[0].on);
}

TEST_F(KnownSetTest, OfTheCameraAndWhereATrackWasMeasuredIsSaidInNumbers) {
  window->steps().openStep(Step::Scene);
  const SolutionPtr plain = session().model.solution();
  ASSERT_TRUE(click(*window, "ofCamera"));
  QDialog* open = dialog();
  ASSERT_TRUE(open);
  in<QComboBox>(open, "cameraKind")->setCurrentIndex(static_cast<int>(CameraFact::Smooth));
  press(open, "takeStatement");
  EXPECT_TRUE(open->isVisible()) << "smooth asks for a deviation";
  in<QComboBox>(open, "cameraKind")->setCurrentIndex(static_cast<int>(CameraFact::Straight));
  in<QDoubleSpinBox>(open, "statementSigma")->setValue(0.5);
  press(open, "takeStatement");
  ASSERT_EQ(known().camera.size(), 1u);
  EXPECT_EQ(known().camera[0].first, plain->frames.front().frame);
  EXPECT_EQ(known().camera[0].last, plain->frames.back().frame);
  QTest::qWait(30);
  ASSERT_TRUE(click(*window, "ofCamera"));
  open = dialog();
  in<QComboBox>(open, "cameraKind")->setCurrentIndex(static_cast<int>(CameraFact::Rotation));
  press(open, "takeStatement");
  ASSERT_EQ(known().camera.size(), 2u);
  const Pose& now = plain->frameAt(session().playback.frame())->pose;
  EXPECT_LT(known().camera[1].rotation.angularDistance(session().model.scene()->scene_from_solve.rotation * now.world_from_camera), 1e-5)
      << "it offers how the camera is turned now";
  const int track = placed(3, 1)[0];
  select({track});
  ASSERT_TRUE(click(*window, "measuredPlace"));
  open = dialog();
  ASSERT_TRUE(open);
  in<QDoubleSpinBox>(open, "statementX")->setValue(1.25);
  in<QDoubleSpinBox>(open, "statementSigma")->setValue(0.02);
  press(open, "takeStatement");
  ASSERT_EQ(known().survey.size(), 1u);
  EXPECT_EQ(known().survey[0].track, track);
  EXPECT_EQ(known().survey[0].at.x(), 1.25);
  EXPECT_EQ(known().survey[0].sigma, Vec3::Constant(0.02));
  session().model.undo();
  EXPECT_TRUE(known().survey.empty());
}

TEST_F(KnownSetTest, TheAngleOfTwoPlanesIsSweptAndTaken) {
  const std::vector<int> wall = placed(0, 5), side = placed(12, 5);
  Knowledge knowledge;
  knowledge.sets = {{.name = "wall", .tracks = wall, .sigma = 3}, {.name = "side", .tracks = side, .sigma = 3}};
  session().model.run(changeKnowledge("Say", document(), knowledge));
  solve();
  window->showView(desktop::View::Sweep);
  QTest::qWait(50);
  auto* scalar = window->findChild<QComboBox*>("sweepFirst");
  const int at = scalar->findData(QString::fromStdString(angleScalar("wall", "side")));
  ASSERT_GE(at, 0);
  EXPECT_EQ(scalar->findData(QString::fromStdString(offsetScalar("wall"))), -1) << "no origin is known";
  scalar->setCurrentIndex(at);
  window->findChild<QDoubleSpinBox*>("sweepFirstFrom")->setValue(20);
  window->findChild<QDoubleSpinBox*>("sweepFirstTo")->setValue(80);
  ASSERT_TRUE(click(*window, "runSweep"));
  ASSERT_TRUE(waitForJobs(*window));
  QTest::qWait(50);
  ASSERT_TRUE(session().jobs.swept().result) << session().jobs.swept().problem.toStdString();
  ASSERT_TRUE(click(*window, "takeValue"));
  ASSERT_EQ(known().relations.size(), 1u);
  EXPECT_EQ(known().relations[0].kind, RelationKind::Angle);
  EXPECT_GE(known().relations[0].value, 20);
  session().model.undo();
  EXPECT_TRUE(known().relations.empty());
}

}  // namespace dusky::testing

int main(int argc, char** argv) { return dusky::testing::runTests(argc, argv); }
