// The tools of the window under Xvfb, driven with mouse and keys, on a small made-up shot: masks with keys, candidates, more tracks in a region,
// tracks by hand, the list, two frames, coverage, the frame check.
#include <gtest/gtest.h>

#include <QAction>
#include <QApplication>
#include <QComboBox>
#include <QDoubleSpinBox>
#include <QInputDialog>
#include <QLabel>
#include <QLineEdit>
#include <QSignalSpy>
#include <QSpinBox>
#include <QTableView>
#include <QTimer>
#include <QToolButton>
#include <cmath>

#include "apps/desktop/actions/track_actions.h"
#include "apps/desktop/closeup/closeup_view.h"
#include "apps/desktop/coverage/coverage_view.h"
#include "apps/desktop/errormap/error_map.h"
#include "apps/desktop/plate/plate_view.h"
#include "apps/desktop/steps/steps_panel.h"
#include "apps/desktop/tracklist/track_list.h"
#include "apps/desktop/twoframes/two_frames_view.h"
#include "core/mask/mask_keys.h"
#include "core/project/edits.h"
#include "tests/apps/desktop/quay_window.h"
#include "tests/apps/desktop/run_tests.h"
#include "tests/support/temporary_folder.h"

namespace dusky::testing {
using desktop::MainWindow;
using Tool = desktop::ViewSettings::Tool;

class ToolsTest : public QuayWindow {
 protected:
  void SetUp() override {
    QuayWindow::SetUp();
    if (HasFatalFailure()) return;
    goTo(8);
  }

  void goTo(int frame) {
    session().playback.setFrame(frame);
    ASSERT_TRUE(waitUntil([&] { return !session().frames.frame(frame).isNull(); }, 10000));
    QTest::qWait(40);
  }
  QPoint onPlate(double x, double y) { return window->plate().toWidget(QPointF(x, y)).toPoint(); }
  void key(Qt::Key k, Qt::KeyboardModifiers modifiers = Qt::NoModifier) {
    QApplication::setActiveWindow(window.get());
    window->plate().setFocus();
    QTest::keyClick(window.get(), k, modifiers);
  }
  /// A corner of a box in the picture: good to hold on to.
  Vec2 goodPlace() {
    const auto& marks = window->plate().marks();
    for (const auto& mark : marks) {
      const Track* one = session().model.tracks()->find(mark.id);
      if (one->life() > 12 && std::hypot(mark.measured.x() - 320, mark.measured.y() - 180) < 120) return {mark.measured.x(), mark.measured.y()};
    }
    return {320, 180};
  }
};

TEST_F(ToolsTest, AMaskIsDrawnMovedByKeysAndUndone) {
  window->steps().openStep(Step::Masks);
  ASSERT_TRUE(click(*window, "drawEllipse"));
  drag(window->plate(), {onPlate(200, 100), onPlate(250, 150), onPlate(300, 180)});
  ASSERT_EQ(document().masks.shapes.size(), 1u);
  const Mask drawn = document().masks.shapes[0];
  EXPECT_NEAR(drawn.keys[0].position.x(), 250, 2);
  EXPECT_NEAR(drawn.keys[0].points[0].y(), 40, 2);
  EXPECT_EQ(drawn.keys[0].frame, 8);
  EXPECT_EQ(session().view.tool(), Tool::MaskEdit) << "it stands ready to be changed";

  goTo(14);
  drag(window->plate(), {onPlate(250, 140), onPlate(280, 150), onPlate(310, 160)});
  ASSERT_EQ(document().masks.shapes[0].keys.size(), 2u);
  EXPECT_NEAR(document().masks.shapes[0].keys[1].position.x(), 310, 3);
  EXPECT_NEAR(maskAt(document().masks.shapes[0], 11).position.x(), 280, 3) << "half way between the keys";

  // A corner changes the form, evenly about the middle.
  const Vec2 half = document().masks.shapes[0].keys[1].points[0], middle = document().masks.shapes[0].keys[1].position;
  drag(window->plate(), {onPlate(middle.x() + half.x(), middle.y() + half.y()), onPlate(middle.x() + half.x() + 20, middle.y() + half.y() + 10)});
  EXPECT_NEAR(document().masks.shapes[0].keys[1].points[0].x(), half.x() + 20, 3);

  // The key moves along the lane under the error map.
  desktop::ErrorMap& map = window->errorMap();
  drag(map, {map.keyPlace(14).toPoint(), map.keyPlace(12).toPoint(), map.keyPlace(11).toPoint()});
  EXPECT_EQ(document().masks.shapes[0].keys[1].frame, 11);
  ASSERT_TRUE(click(*window, "previousKey"));
  EXPECT_EQ(session().playback.frame(), 8);
  ASSERT_TRUE(click(*window, "removeKey"));
  EXPECT_EQ(document().masks.shapes[0].keys.size(), 1u);
  while (session().model.workspace().undoStack().canUndo()) session().model.undo();
  EXPECT_TRUE(document().masks.shapes.empty());
}

TEST_F(ToolsTest, ACurveIsClickedClosedAndGainsACorner) {
  window->steps().openStep(Step::Masks);
  ASSERT_TRUE(click(*window, "drawCurve"));
  for (const auto& [x, y] : {std::pair{150, 80}, {350, 90}, {340, 260}, {160, 250}, {150, 80}})
    QTest::mouseClick(&window->plate(), Qt::LeftButton, {}, onPlate(x, y));
  ASSERT_EQ(document().masks.shapes.size(), 1u);
  EXPECT_EQ(document().masks.shapes[0].keys[0].points.size(), 4u);
  EXPECT_TRUE(covers(document().masks.shapes[0], 8, {250, 170}));
  QTest::mouseDClick(&window->plate(), Qt::LeftButton, {}, onPlate(250, 84));
  EXPECT_EQ(document().masks.shapes[0].keys[0].points.size(), 5u);
  session().model.undo();
  session().model.undo();
  EXPECT_TRUE(document().masks.shapes.empty());
}

TEST_F(ToolsTest, MaskedPlacesHoldNoTracksAndTheMaskStalesThem) {
  track();
  Mask box = newMask(document(), MaskShape::Box);
  box.keys = {{.frame = 1, .position = Vec2(160, 180), .points = {Vec2(160, 180)}}};
  session().model.run(changeMask("Draw mask", document(), box));
  EXPECT_EQ(session().model.workspace().status(Step::Tracks).state, StepState::Stale);
  track();
  for (const Track& one : session().model.tracks()->tracks) EXPECT_GT(one.at(one.born())->position.x(), 318);
  session().model.undo();
  EXPECT_EQ(session().model.workspace().status(Step::Tracks).state, StepState::Current) << "the earlier tracks are there at once";
}

TEST_F(ToolsTest, CandidatesFollowTheSettingsAndTheFrame) {
  key(Qt::Key_T, Qt::ShiftModifier);
  ASSERT_TRUE(waitUntil([&] { return session().candidates.frame() == 8; }, 10000));
  const auto before = session().candidates.features().size();
  ASSERT_GT(before, 50u);
  FollowOptions fewer = document().tracking;
  fewer.features = 60;
  session().model.set("Change features", &Document::tracking, fewer);
  ASSERT_TRUE(waitUntil([&] { return session().candidates.features().size() < before / 2; }, 10000));
  goTo(3);
  ASSERT_TRUE(waitUntil([&] { return session().candidates.frame() == 3; }, 10000));
  key(Qt::Key_T, Qt::ShiftModifier);
  EXPECT_TRUE(session().candidates.features().empty());
  session().model.undo();
}

TEST_F(ToolsTest, MoreTracksAreAddedInADrawnRegion) {
  FollowOptions few = document().tracking;
  few.features = 60;
  session().model.set("Change features", &Document::tracking, few);
  track();
  const TrackSetPtr before = session().model.workspace().followed();
  window->steps().openStep(Step::Tracks);
  ASSERT_TRUE(click(*window, "addTracksHere"));
  drag(window->plate(), {onPlate(200, 90), onPlate(440, 90), onPlate(440, 300), onPlate(200, 300), onPlate(200, 95)});
  ASSERT_EQ(document().extra_runs.size(), 1u);
  ASSERT_TRUE(waitForJobs(*window));
  const TrackSetPtr after = session().model.workspace().followed();
  ASSERT_GT(after->tracks.size(), before->tracks.size());
  EXPECT_TRUE(std::equal(before->tracks.begin(), before->tracks.end(), after->tracks.begin()));
  EXPECT_EQ(session().view.tool(), Tool::Box);
  session().model.undo();
  EXPECT_EQ(session().model.workspace().followed(), before);
  session().model.undo();
}

TEST_F(ToolsTest, ATrackByHandIsPlacedFollowedNudgedAndUndone) {
  track();
  const Vec2 place = goodPlace();
  session().selection.clear();
  key(Qt::Key_P);
  QTest::mouseClick(&window->plate(), Qt::LeftButton, {}, onPlate(place.x(), place.y()));
  ASSERT_TRUE(waitForJobs(*window));
  ASSERT_EQ(document().work.by_hand.size(), 1u);
  const int id = document().work.by_hand[0].id;
  EXPECT_EQ(session().selection.ids(), std::vector<int>{id}) << "the new one is selected";
  EXPECT_EQ(window->closeup().track(), id);
  window->steps().openStep(Step::Tracks);
  QTest::qWait(50);
  ASSERT_TRUE(click(*window, "handBoth"));
  ASSERT_TRUE(waitForJobs(*window));
  ASSERT_GE(document().work.by_hand[0].points.size(), 10u) << window->findChild<QLabel*>("handNote")->text().toStdString();
  EXPECT_TRUE(window->findChild<QLabel*>("handNote")->text().contains("frames"));

  const Vec2 before = document().work.by_hand[0].at(8)->position;
  key(Qt::Key_Right, Qt::AltModifier);
  EXPECT_NEAR(document().work.by_hand[0].at(8)->position.x(), before.x() + 0.1, 1e-9);
  key(Qt::Key_Up, Qt::AltModifier | Qt::ShiftModifier);
  EXPECT_NEAR(document().work.by_hand[0].at(8)->position.y(), before.y() - 1, 1e-9);

  // Dragging the point in another frame sets a key there.
  goTo(12);
  const Vec2 there = document().work.by_hand[0].at(12)->position;
  drag(window->plate(), {onPlate(there.x(), there.y()), onPlate(there.x() + 6, there.y()), onPlate(there.x() + 12, there.y())}, Qt::ShiftModifier);
  ASSERT_TRUE(waitForJobs(*window));
  EXPECT_TRUE(document().work.by_hand[0].at(12)->keyed);
  EXPECT_NEAR(document().work.by_hand[0].at(12)->position.x(), there.x() + 12, 2);
  key(Qt::Key_Backspace);
  EXPECT_EQ(session().view.tool(), Tool::Box);

  session().selection.pick({id}, desktop::Selection::Mode::Replace);
  key(Qt::Key_C, Qt::ShiftModifier);
  EXPECT_EQ(document().work.by_hand.size(), 2u) << "cut in two";
  while (session().model.workspace().undoStack().canUndo()) session().model.undo();
  EXPECT_TRUE(document().work.by_hand.empty());
  EXPECT_FALSE(session().model.tracks()->find(id));
}

TEST_F(ToolsTest, TracksAreCutShortenedJoinedAndRemoved) {
  track();
  const Track whole = *std::find_if(session().model.tracks()->tracks.begin(), session().model.tracks()->tracks.end(),
                                    [](const Track& t) { return t.firstFrame() <= 4 && t.lastFrame() >= 13; });
  session().selection.pick({whole.id}, desktop::Selection::Mode::Replace);
  key(Qt::Key_C, Qt::ShiftModifier);
  EXPECT_EQ(session().model.tracks()->find(whole.id)->lastFrame(), 7);
  ASSERT_TRUE(session().model.tracks()->find(kFirstCutId));
  session().selection.pick({whole.id, kFirstCutId}, desktop::Selection::Mode::Replace);
  ASSERT_TRUE(window->editActions().join->isEnabled());
  window->editActions().join->trigger();
  EXPECT_EQ(session().model.tracks()->find(whole.id)->observations, whole.observations) << "joined it is whole again";
  session().selection.pick({whole.id}, desktop::Selection::Mode::Replace);
  window->editActions().drop_after->trigger();
  EXPECT_EQ(session().model.tracks()->find(whole.id)->lastFrame(), 8);
  key(Qt::Key_Delete);
  EXPECT_FALSE(session().model.tracks()->find(whole.id));
  while (session().model.workspace().undoStack().canUndo()) session().model.undo();
  EXPECT_EQ(*session().model.tracks()->find(whole.id), whole);
}

TEST_F(ToolsTest, TheListIsNarrowedByWordsSortedAndSharesTheSelection) {
  track();
  window->showView(desktop::View::Tracks);
  desktop::TrackList& list = window->trackList();
  const int all = list.shown();
  EXPECT_EQ(all, static_cast<int>(session().model.tracks()->tracks.size()));
  auto* table = window->findChild<QTableView*>("trackTable");
  table->sortByColumn(desktop::TrackListModel::Life, Qt::DescendingOrder);
  const auto life = [&](int row) { return table->model()->index(row, desktop::TrackListModel::Life).data().toInt(); };
  for (int row = 1; row < std::min(all, 50); ++row) EXPECT_LE(life(row), life(row - 1));
  auto* words = window->findChild<QLineEdit*>("trackFilter");
  words->setFocus();
  QTest::keyClicks(words, "coarse");
  EXPECT_LT(list.shown(), all);
  for (int row = 0; row < list.shown(); ++row) EXPECT_EQ(table->model()->index(row, desktop::TrackListModel::Kind).data().toString(), "coarse");
  words->clear();
  // A name written in the table is an edit, and words find it.
  ASSERT_TRUE(table->model()->setData(table->model()->index(3, desktop::TrackListModel::Name), "Lamp post", Qt::EditRole));
  QTest::keyClicks(words, "lamp");
  ASSERT_EQ(list.shown(), 1);
  table->selectRow(0);
  ASSERT_EQ(session().selection.ids().size(), 1u);
  EXPECT_TRUE(window->findChild<QLabel*>("trackCard")->text().contains("Lamp post"));
  session().model.undo();
}

TEST_F(ToolsTest, AWeightIsWrittenInTheListOrAskedForAndShownWhereTheTrackIs) {
  track();
  window->showView(desktop::View::Tracks);
  auto* table = window->findChild<QTableView*>("trackTable");
  const QModelIndex cell = table->model()->index(2, desktop::TrackListModel::Weight);
  EXPECT_EQ(cell.data().toString(), "1");
  table->selectRow(2);
  const int id = session().selection.ids().at(0);
  table->scrollTo(cell);
  QTest::mouseClick(table->viewport(), Qt::LeftButton, {}, table->visualRect(cell).center());
  QTest::mouseDClick(table->viewport(), Qt::LeftButton, {}, table->visualRect(cell).center());
  auto* editor = table->viewport()->findChild<QDoubleSpinBox*>();
  ASSERT_TRUE(editor);
  editor->selectAll();
  QTest::keyClicks(editor, "4");
  QTest::keyClick(editor, Qt::Key_Return);
  EXPECT_TRUE(waitUntil([&] { return weightOfTrack(document().picks.weights, id) == 4; }, 2000));
  EXPECT_EQ(session().selection.ids(), std::vector<int>{id}) << "the rows were made anew";
  EXPECT_TRUE(window->findChild<QLabel*>("trackCard")->text().contains("weight 4"));
  // Nothing else is taken, and the window says why.
  QSignalSpy said(&session().model, &desktop::DocumentModel::problem);
  EXPECT_FALSE(table->model()->setData(table->model()->index(2, desktop::TrackListModel::Weight), 1000, Qt::EditRole));
  EXPECT_EQ(said.size(), 1);
  EXPECT_EQ(weightOfTrack(document().picks.weights, id), 4);
  QTimer::singleShot(0, [] {
    auto* dialog = qobject_cast<QInputDialog*>(QApplication::activeModalWidget());
    ASSERT_TRUE(dialog);
    EXPECT_EQ(dialog->doubleValue(), 4) << "begins with what it is";
    dialog->setDoubleValue(0.25);
    dialog->accept();
  });
  window->trackActions().weigh->trigger();
  EXPECT_EQ(weightOfTrack(document().picks.weights, id), 0.25);
  session().model.undo();
  session().model.undo();
  EXPECT_TRUE(document().picks.weights.empty());
  // What is picked elsewhere is brought into sight.
  const QModelIndex last = table->model()->index(table->model()->rowCount() - 1, desktop::TrackListModel::Name);
  table->scrollToTop();
  session().selection.pick({last.data().toInt()}, desktop::Selection::Mode::Replace);
  EXPECT_TRUE(table->viewport()->rect().intersects(table->visualRect(last)));
}

TEST_F(ToolsTest, TwoFramesShowWhereAPointMustLie) {
  track();
  window->showView(desktop::View::TwoFrames);
  QTest::qWait(50);
  desktop::TwoFramesView& view = window->twoFrames();
  ASSERT_TRUE(view.pair());
  ASSERT_TRUE(view.pair()->fit.found());
  EXPECT_TRUE(window->findChild<QLabel*>("pairText")->text().contains("samples of 7 drawn"));
  const std::size_t one = static_cast<std::size_t>(view.pair()->fit.inliers[view.pair()->fit.inliers.size() / 2]);
  QTest::mouseClick(&view.picture(false), Qt::LeftButton, {}, view.picture(false).toWidget(view.pair()->in_a[one]).toPoint());
  ASSERT_EQ(session().selection.ids().size(), 1u);
  EXPECT_TRUE(window->findChild<QLabel*>("pairText")->text().contains("px off its line"));
}

TEST_F(ToolsTest, CoverageAddsTracksWhereTheyAreThin) {
  FollowOptions few = document().tracking;
  few.features = 40;
  session().model.set("Change features", &Document::tracking, few);
  track();
  window->showView(desktop::View::Coverage);
  QTest::qWait(50);
  desktop::CoverageView& view = window->coverage();
  ASSERT_TRUE(view.coverage());
  const auto before = session().model.tracks()->tracks.size();
  EXPECT_FALSE(click(*window, "addTracksInCells")) << "nothing is chosen yet";
  drag(view, {view.placeOf(16, 5).toPoint(), view.placeOf(20, 7).toPoint(), view.placeOf(30, 10).toPoint()});
  ASSERT_TRUE(view.hasChoice());
  ASSERT_TRUE(click(*window, "addTracksInCells"));
  ASSERT_TRUE(waitForJobs(*window));
  EXPECT_GT(session().model.tracks()->tracks.size(), before);
  EXPECT_EQ(document().extra_runs[0].first_frame, 5);
  EXPECT_EQ(document().extra_runs[0].last_frame, 10);
  while (session().model.workspace().undoStack().canUndo()) session().model.undo();
}

TEST_F(ToolsTest, MarkedFramesAreLeftOutInOneAction) {
  window->steps().openStep(Step::Footage);
  ASSERT_TRUE(click(*window, "checkFrames"));
  ASSERT_TRUE(waitForJobs(*window));
  ASSERT_EQ(session().jobs.checked().size(), 16u);
  EXPECT_TRUE(window->findChild<QLabel*>("checkText")->text().contains("fine"));
  EXPECT_FALSE(click(*window, "leaveOutMarked")) << "nothing is marked";
  session().model.run(leaveOutFrames(document(), {5, 6}));
  track();
  for (const Track& one : session().model.tracks()->tracks) EXPECT_FALSE(one.at(5) || one.at(6));
  window->grab();  // the map has columns for them and draws them hatched
  ASSERT_TRUE(click(*window, "useAllFrames"));
  EXPECT_TRUE(document().footage.left_out.empty());
  while (session().model.workspace().undoStack().canUndo()) session().model.undo();
}

TEST_F(ToolsTest, ToneAndNumbersChangeWhatIsSeenAtOnce) {
  const QColor before = session().frames.frame(8).pixelColor(320, 180);
  Tone brighter;
  brighter.exposure_stops = 2;
  FootageSettings footage = document().footage;
  footage.tone = brighter;
  session().model.set("Change exposure", &Document::footage, footage);
  ASSERT_TRUE(
      waitUntil([&] { return !session().frames.frame(8).isNull() && session().frames.frame(8).pixelColor(320, 180).value() > before.value() + 15; }, 10000));
  session().model.run(changeFrameOffset(document(), 1000));
  EXPECT_EQ(session().playback.first(), 1001);
  ASSERT_TRUE(waitUntil([&] { return !session().frames.frame(1008).isNull(); }, 10000));
  session().model.undo();
  session().model.undo();
  ASSERT_TRUE(waitUntil([&] { return !session().frames.frame(8).isNull() && session().frames.frame(8).pixelColor(320, 180) == before; }, 10000));
  session().frames.setBound(1);
  EXPECT_FALSE(session().frames.frame(8).isNull()) << "what was seen last stays";
}

TEST_F(ToolsTest, TheMaskPanelChangesTheChosenMask) {
  Mask first = newMask(document(), MaskShape::Box);
  first.keys = {{.frame = 1, .position = Vec2(150, 150), .points = {Vec2(60, 50)}}};
  session().model.run(changeMask("Draw mask", document(), first));
  Mask second = newMask(document(), MaskShape::Ellipse);
  second.keys = {{.frame = 1, .position = Vec2(450, 150), .points = {Vec2(60, 50)}}};
  session().model.run(changeMask("Draw mask", document(), second));
  window->steps().openStep(Step::Masks);
  key(Qt::Key_E);
  ASSERT_EQ(session().view.tool(), Tool::MaskEdit);
  QTest::mouseClick(&window->plate(), Qt::LeftButton, {}, onPlate(450, 150));
  EXPECT_EQ(session().view.chosenMask(), 2) << "a click in a mask chooses it";
  QTest::mouseClick(&window->plate(), Qt::LeftButton, {}, onPlate(320, 330));
  EXPECT_EQ(session().view.chosenMask(), 0) << "a click beside all lets go";
  session().view.chooseMask(2);
  auto* grow = window->findChild<QDoubleSpinBox*>("maskGrow");
  grow->setValue(12);
  window->findChild<QComboBox*>("maskRole")->setCurrentIndex(1);
  auto* frames = window->findChild<QLineEdit*>("maskFrames");
  const auto type = [frames](const char* text) {
    frames->setText(text);
    emit frames->editingFinished();
  };
  type("4-9, twelve");
  EXPECT_TRUE(window->findChild<QLabel*>("maskFramesProblem")->text().contains("twelve"));
  EXPECT_TRUE(document().masks.shapes[1].ranges.empty());
  type("12-16, 4-9");
  QTest::qWait(30);
  ASSERT_TRUE(click(*window, "maskInverted"));
  const Mask& changed = document().masks.shapes[1];
  EXPECT_EQ(changed.grow_px, 12);
  EXPECT_TRUE(changed.only_inside);
  EXPECT_TRUE(changed.inverted);
  EXPECT_EQ(changed.ranges, (std::vector<FrameRange>{{4, 9}, {12, 16}}));
  EXPECT_FALSE(changed.holdsIn(10));
  EXPECT_EQ(document().masks.shapes[0], first) << "the other one stays as it is";
  session().model.undo();
  EXPECT_FALSE(document().masks.shapes[1].inverted);
  ASSERT_TRUE(click(*window, "removeMask"));
  EXPECT_EQ(document().masks.shapes.size(), 1u);
}

TEST_F(ToolsTest, AMaskIsTurnedAndScaledByItsHandles) {
  Mask box = newMask(document(), MaskShape::Box);
  box.keys = {{.frame = 1, .position = Vec2(320, 180), .points = {Vec2(80, 40)}}};
  session().model.run(changeMask("Draw mask", document(), box));
  session().view.chooseMask(1);
  session().view.setTool(Tool::MaskEdit);
  goTo(8);
  // The round handle stands over the middle of the upper side.
  const QPoint middle = onPlate(320, 180), handle = onPlate(320, 140) + QPoint(0, -22);
  const int reach = middle.y() - handle.y();
  drag(window->plate(), {handle, middle + QPoint(reach / 2, -reach * 866 / 1000), middle + QPoint(reach * 866 / 1000, -reach / 2)});
  ASSERT_EQ(document().masks.shapes[0].keys.size(), 2u) << "the turn is a key in this frame";
  EXPECT_NEAR(document().masks.shapes[0].keys[1].rotation_rad, 3.14159 / 3, 0.06);
  session().model.undo();
  const QPoint corner = onPlate(400, 220) + QPoint(15, 15);
  drag(window->plate(), {corner, middle + (corner - middle) * 3 / 2});
  EXPECT_NEAR(document().masks.shapes[0].keys[1].scale, 1.5, 0.06);
  EXPECT_EQ(document().masks.shapes[0].keys[0].scale, 1) << "the other key stays";
}

TEST_F(ToolsTest, TheCloseUpHoldsATrackStillAndSetsItsKey) {
  HandTrack hand = newHandTrack(document(), {});
  for (int f = 2; f <= 14; ++f) hand.points.push_back({f, {300.0 + 2 * f, 180}, f == 2, 0.95});
  session().model.run(changeHandTrack("Place track", document(), hand));
  session().selection.pick({hand.id}, desktop::Selection::Mode::Replace);
  window->showView(desktop::View::Closeup);
  QTest::qWait(60);
  desktop::CloseupView& view = window->closeup();
  view.setZoom(10);
  EXPECT_EQ(view.zoom(), 10);
  view.setZoom(500);
  EXPECT_EQ(view.zoom(), 32) << "no farther";
  view.setZoom(10);
  const QPoint at(view.width() / 2, (view.height() - 58) / 2);
  drag(view, {at, at + QPoint(20, 0), at + QPoint(50, -30)});
  const HandPoint* point = document().work.by_hand[0].at(8);
  EXPECT_TRUE(point->keyed);
  EXPECT_NEAR(point->position.x(), 316 + 5, 1e-6) << "50 px at ten times";
  EXPECT_NEAR(point->position.y(), 180 - 3, 1e-6);
  // Its keys stand in the lane and can be moved there.
  desktop::ErrorMap& map = window->errorMap();
  drag(map, {map.keyPlace(8).toPoint(), map.keyPlace(10).toPoint(), map.keyPlace(11).toPoint()});
  EXPECT_TRUE(document().work.by_hand[0].at(11)->keyed);
  EXPECT_FALSE(document().work.by_hand[0].at(8));
  // A press on the curve goes to its frame.
  QTest::mouseClick(&view, Qt::LeftButton, {}, QPoint(view.width() / 4, view.height() - 10));
  EXPECT_NEAR(session().playback.frame(), 5, 1);
  key(Qt::Key_Delete);
  EXPECT_TRUE(document().work.by_hand.empty());
}

TEST_F(ToolsTest, ToolsShareTheButtonAndLetGo) {
  for (const auto& [k, tool] : {std::pair{Qt::Key_E, Tool::MaskEdit}, {Qt::Key_P, Tool::Hand}, {Qt::Key_R, Tool::Region}, {Qt::Key_Q, Tool::Lasso}}) {
    key(k);
    EXPECT_EQ(session().view.tool(), tool);
  }
  key(Qt::Key_P);
  key(Qt::Key_P);
  EXPECT_EQ(session().view.tool(), Tool::Box) << "the same key again lets go";
  // A curve half drawn is given up with the tool.
  session().view.setTool(Tool::MaskCurve);
  QTest::mouseClick(&window->plate(), Qt::LeftButton, {}, onPlate(200, 100));
  QTest::mouseClick(&window->plate(), Qt::LeftButton, {}, onPlate(300, 100));
  EXPECT_TRUE(window->plate().leaveTool());
  EXPECT_TRUE(document().masks.shapes.empty());
  session().view.setTool(Tool::MaskCurve);
  for (const auto& [x, y] : {std::pair{150, 80}, {350, 90}, {340, 260}}) QTest::mouseClick(&window->plate(), Qt::LeftButton, {}, onPlate(x, y));
  QTest::mouseClick(&window->plate(), Qt::LeftButton, {}, onPlate(150, 80));
  ASSERT_EQ(document().masks.shapes.size(), 1u);
  EXPECT_EQ(document().masks.shapes[0].keys[0].points.size(), 3u) << "nothing of the one given up is in it";
  EXPECT_FALSE((session().view.setTool(Tool::Box), window->plate().leaveTool())) << "there is nothing to leave";
}

TEST_F(ToolsTest, WorkByHandIsSavedWithTheProjectAndComesBack) {
  track();
  const int id = session().model.tracks()->tracks[4].id;
  session().selection.pick({id}, desktop::Selection::Mode::Replace);
  session().model.run(nameTrack(document(), id, "Bollard", session().model.workspace().followedKey()));
  session().model.run(groupTracks(document(), {id}, "quay", session().model.workspace().followedKey()));
  HandTrack hand = newHandTrack(document(), {});
  hand.putKey(8, {300, 180});
  session().model.run(changeHandTrack("Place track", document(), hand));
  const TemporaryFolder files;
  const QString path = QString::fromStdString((files / "quay.moth").string());
  ASSERT_TRUE(window->saveTo(path));
  MainWindow other;
  showWindow(other);
  ASSERT_TRUE(openAndWait(other, path));
  const desktop::DocumentModel& model = other.session().model;
  EXPECT_EQ(model.workspace().labelOf(id)->name, "Bollard");
  EXPECT_EQ(model.workspace().labelOf(id)->group, "quay");
  EXPECT_TRUE(model.tracks()->find(hand.id));
  other.showView(desktop::View::Tracks);
  auto* words = other.findChild<QLineEdit*>("trackFilter");
  words->setText("quay bollard");
  EXPECT_EQ(other.trackList().shown(), 1);
  words->setText("by hand");
  EXPECT_EQ(other.trackList().shown(), 1);
}
}  // namespace dusky::testing

int main(int argc, char** argv) { return dusky::testing::runTests(argc, argv); }
