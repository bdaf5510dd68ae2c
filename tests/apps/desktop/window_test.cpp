// The real window under Xvfb, driven with mouse and keys, on the demo shot: open, run, scrub, select, pick, undo, save, reopen, deliver.
#include <gtest/gtest.h>

#include <QAction>
#include <QApplication>
#include <QComboBox>
#include <QDoubleSpinBox>
#include <QElapsedTimer>
#include <QLabel>
#include <QLineEdit>
#include <QListWidget>
#include <QMimeData>
#include <QPushButton>
#include <QSpinBox>
#include <cmath>
#include <set>

#include "apps/desktop/paint/theme.h"
#include "apps/desktop/errormap/error_map.h"
#include "apps/desktop/plate/plate_view.h"
#include "apps/desktop/space/space_view.h"
#include "apps/desktop/steps/step_settings.h"
#include "apps/desktop/steps/steps_panel.h"
#include "core/media/write_picture.h"
#include "tests/apps/desktop/run_tests.h"
#include "tests/support/temporary_folder.h"

namespace dusky::testing {
using desktop::MainWindow;

QString demo() { return MainWindow::demoPath(); }

/// One window on the solved demo shot for the tests that only look; solving it is itself the first test's matter.
class WindowTest : public ::testing::Test {
 protected:
  static void SetUpTestSuite() {
    window = new MainWindow;
    showWindow(*window);
    ASSERT_TRUE(openAndWait(*window, demo()));
    ASSERT_TRUE(click(*window, "runTracks") || (window->steps().openStep(Step::Tracks), click(*window, "runTracks")));
    bool grew = false;
    ASSERT_TRUE(waitUntil(
        [&] {
          grew = grew || (window->session().model.partial() && window->session().model.tracks());
          return !window->session().jobs.busy();
        },
        240000));
    EXPECT_TRUE(grew) << "tracks are shown as they grow";
    window->steps().openStep(Step::Solve);
    ASSERT_TRUE(click(*window, "runSolve"));
    bool cameras_grew = false;
    ASSERT_TRUE(waitUntil(
        [&] {
          cameras_grew = cameras_grew || (window->session().model.partial() && window->session().model.solution());
          return !window->session().jobs.busy();
        },
        240000));
    EXPECT_TRUE(cameras_grew) << "cameras are shown as they are placed";
    ASSERT_TRUE(window->session().model.solution());
  }
  static void TearDownTestSuite() {
    delete window;
    window = nullptr;
  }
  void SetUp() override {
    ASSERT_TRUE(window->session().model.solution());
    QApplication::setActiveWindow(window);
    window->plate().setFocus();
    window->session().selection.clear();
    goTo(60);
  }
  static desktop::Session& session() { return window->session(); }
  static void goTo(int frame) {
    session().playback.setFrame(frame);
    ASSERT_TRUE(waitUntil([&] { return !session().frames.frame(frame).isNull(); }, 10000));
    QTest::qWait(30);
  }
  static std::vector<int> keptInView(std::size_t count) {
    std::vector<int> ids;
    for (const auto& mark : window->plate().marks()) {
      if (mark.glyph == desktop::Glyph::Kept && ids.size() < count) ids.push_back(mark.id);
    }
    return ids;
  }
  static void key(Qt::Key k, Qt::KeyboardModifiers modifiers = Qt::NoModifier) { QTest::keyClick(window, k, modifiers); }
  static MainWindow* window;
};
MainWindow* WindowTest::window = nullptr;

TEST_F(WindowTest, SolvesTheDemoAndSaysSo) {
  EXPECT_EQ(session().model.solution()->placedFrames(), 120);
  EXPECT_LT(session().model.solution()->rms_px, 0.5);
  EXPECT_EQ(session().model.workspace().status(Step::Solve).state, StepState::Current);
  const auto* rms = window->findChild<QPushButton*>("verdictRms");
  ASSERT_TRUE(rms && rms->isVisible());
  EXPECT_TRUE(rms->text().contains("px RMS"));
  EXPECT_EQ(window->errorMap().rowCount(), static_cast<int>(session().model.tracks()->tracks.size()));
  EXPECT_GT(window->space().contents().points.size(), 1000u);
  EXPECT_EQ(window->steps().opened(), Step::Scene) << "the next thing to do stands open";
}

TEST_F(WindowTest, ScrubsByKeysFieldAndCurve) {
  key(Qt::Key_Right);
  EXPECT_EQ(session().playback.frame(), 61);
  key(Qt::Key_Left);
  key(Qt::Key_Left);
  EXPECT_EQ(session().playback.frame(), 59);
  key(Qt::Key_End);
  EXPECT_EQ(session().playback.frame(), 120);
  key(Qt::Key_Home);
  EXPECT_EQ(session().playback.frame(), 1);
  auto* field = window->findChild<QSpinBox*>("frame");
  field->setFocus();
  field->selectAll();
  QTest::keyClicks(field, "77");
  QTest::keyClick(field, Qt::Key_Return);
  EXPECT_EQ(session().playback.frame(), 77);
  // A press on the curve goes to its frame.
  desktop::ErrorMap& map = window->errorMap();
  const QPoint place(static_cast<int>(map.cellAt(0, 30).x()), map.height() - 12);
  QTest::mouseClick(&map, Qt::LeftButton, Qt::NoModifier, place);
  EXPECT_EQ(session().playback.frame(), 30);
}

TEST_F(WindowTest, PlaysAtTheFootagesRateByTheClock) {
  goTo(10);
  QElapsedTimer since;
  std::vector<std::pair<double, int>> seen;  // seconds, frame
  const QObject while_playing;
  QObject::connect(&session().playback, &desktop::Playback::frameChanged, &while_playing,
                   [&](int frame) { seen.emplace_back(static_cast<double>(since.elapsed()) / 1000, frame); });
  since.start();
  ASSERT_TRUE(click(*window, "play"));
  const double began = static_cast<double>(since.elapsed()) / 1000;
  ASSERT_TRUE(QTest::qWaitFor([&] { return seen.size() >= 8; }, 20'000));
  key(Qt::Key_K);
  EXPECT_FALSE(session().playback.playing());
  // However slow the machine is, frames are left out and the rate is kept: each frame comes at its time of the clock, going round at the end.
  double before = began;
  for (const auto& [seconds, frame] : seen) {
    const int earliest = static_cast<int>(24 * (before - began)) - 1, latest = static_cast<int>(24 * seconds) + 1;
    bool due = false;
    for (int moved = earliest; moved <= latest; ++moved) due = due || (9 + moved + 120) % 120 + 1 == frame;
    EXPECT_TRUE(due) << "frame " << frame << " between " << earliest << " and " << latest << " frames of the clock";
    before = seconds;
  }
}

TEST_F(WindowTest, ClickBoxAndLassoSelectTheSameEverywhere) {
  desktop::PlateView& plate = window->plate();
  const auto ids = keptInView(1);
  ASSERT_EQ(ids.size(), 1u);
  const auto mark = std::find_if(plate.marks().begin(), plate.marks().end(), [&](const auto& m) { return m.id == ids[0]; });
  QTest::mouseClick(&plate, Qt::LeftButton, Qt::NoModifier, plate.toWidget(mark->measured).toPoint());
  ASSERT_EQ(session().selection.ids().size(), 1u);
  const int picked = session().selection.ids()[0];
  EXPECT_TRUE(window->findChild<QLabel*>("trackCard")->text().contains(QString("track %1 ").arg(picked)));

  drag(plate, {{150, 120}, {200, 180}, {260, 240}});
  std::set<int> inside;
  for (const auto& m : plate.marks()) {
    if (m.glyph != desktop::Glyph::SetAside && QRectF(150, 120, 110, 120).contains(plate.toWidget(m.measured))) inside.insert(m.id);
  }
  EXPECT_EQ(std::set<int>(session().selection.ids().begin(), session().selection.ids().end()), inside);
  ASSERT_FALSE(inside.empty());

  // A lasso by Alt: a triangle takes what is in it and no more.
  drag(plate, {{100, 100}, {400, 110}, {250, 300}, {100, 100}}, Qt::AltModifier);
  const QPolygonF triangle({QPointF(100, 100), QPointF(400, 110), QPointF(250, 300)});
  for (const auto& m : plate.marks()) {
    if (m.glyph == desktop::Glyph::SetAside) continue;
    EXPECT_EQ(session().selection.contains(m.id), triangle.containsPoint(plate.toWidget(m.measured), Qt::OddEvenFill)) << m.id;
  }
  key(Qt::Key_Escape);
  EXPECT_TRUE(session().selection.empty());
}

TEST_F(WindowTest, SpaceSelectsAndTurns) {
  desktop::SpaceView& space = window->space();
  const int id = window->errorMap().trackAt(window->errorMap().rowCount() / 3);
  const auto at = space.placeOf(id);
  ASSERT_TRUE(at.has_value());
  drag(space, {QPoint(static_cast<int>(at->x()) - 12, static_cast<int>(at->y()) - 12), QPoint(static_cast<int>(at->x()) + 12, static_cast<int>(at->y()) + 12)});
  EXPECT_TRUE(session().selection.contains(id));
  drag(space, {{100, 100}, {140, 110}, {180, 120}}, Qt::NoModifier, Qt::RightButton);
  const auto turned = space.placeOf(id);
  ASSERT_TRUE(turned.has_value());
  EXPECT_GT(std::hypot(turned->x() - at->x(), turned->y() - at->y()), 3);
  for (const auto& [k, mode] :
       {std::pair{Qt::Key_3, desktop::Eye::Mode::Top}, {Qt::Key_4, desktop::Eye::Mode::Camera}, {Qt::Key_2, desktop::Eye::Mode::Orbit}}) {
    key(k);
    EXPECT_EQ(space.mode(), mode);
  }
}

TEST_F(WindowTest, ThroughTheCameraPointsStandWhereThePlateHasThem) {
  key(Qt::Key_4);
  desktop::SpaceView& space = window->space();
  const Lens& lens = session().model.solution()->lens();
  const double scale = std::min(space.width() / 1280.0, space.height() / 720.0);
  int checked = 0;
  for (const auto& mark : window->plate().marks()) {
    const auto at = space.placeOf(mark.id);
    const auto ray = lens.undistort(Vec2(mark.measured.x(), mark.measured.y()));
    if (mark.glyph != desktop::Glyph::Kept || std::isnan(mark.error_px) || mark.error_px > 0.3 || !at || !ray) continue;
    // The view shows the undistorted picture, whole and in the middle.
    const QPointF pinhole(lens.focal_px * ray->x() + lens.cx_px, lens.focal_px * ray->y() + lens.cy_px);
    const QPointF expected = scale * pinhole + QPointF((space.width() - 1280 * scale) / 2, (space.height() - 720 * scale) / 2);
    EXPECT_LT(std::hypot(at->x() - expected.x(), at->y() - expected.y()), 0.6);
    ++checked;
  }
  EXPECT_GT(checked, 100);
  key(Qt::Key_2);
}

TEST_F(WindowTest, TheErrorMapPicksRowsAndGoesToFrames) {
  desktop::ErrorMap& map = window->errorMap();
  turnWheel(map, map.cellAt(0, 60), 20, Qt::ControlModifier);  // rows that a click can tell apart
  QTest::mouseClick(&map, Qt::LeftButton, Qt::NoModifier, map.cellAt(4, 85).toPoint());
  EXPECT_EQ(session().playback.frame(), 85);
  EXPECT_EQ(session().selection.ids(), std::vector<int>{map.trackAt(4)});
  drag(map, {map.cellAt(2, 20).toPoint(), map.cellAt(6, 40).toPoint()});
  EXPECT_EQ(session().selection.ids().size(), 5u);
  map.setOrder(desktop::RowOrder::Life);
  const TrackSetPtr tracks = session().model.tracks();
  EXPECT_GE(tracks->find(map.trackAt(0))->life(), tracks->find(map.trackAt(40))->life());
  map.setOrder(desktop::RowOrder::Worst);
  map.showAll();
}

TEST_F(WindowTest, GroundIsPickedAndUndoneByTheButton) {
  window->steps().openStep(Step::Scene);
  session().selection.pick(keptInView(5), desktop::Selection::Mode::Replace);
  const Document before = session().model.document();
  ASSERT_TRUE(click(*window, "useAsGround"));
  EXPECT_EQ(session().model.document().picks.scene.ground.size(), 5u);
  EXPECT_FALSE(std::isnan(session().model.scene()->ground_rms));
  key(Qt::Key_Z, Qt::ControlModifier);
  EXPECT_EQ(session().model.document(), before);
  key(Qt::Key_Z, Qt::ControlModifier | Qt::ShiftModifier);
  EXPECT_EQ(session().model.document().picks.scene.ground.size(), 5u);
  key(Qt::Key_Z, Qt::ControlModifier);
}

TEST_F(WindowTest, ALengthMakesMetresAndATestObjectStandsLocked) {
  const auto ids = keptInView(2);
  session().selection.pick(ids, desktop::Selection::Mode::Replace);
  window->trackActions().setLengthMetres(2.0);
  window->trackActions().length->trigger();
  ASSERT_TRUE(session().model.scene()->metric);
  window->trackActions().cone->trigger();
  ASSERT_EQ(session().model.document().picks.objects.size(), 2u);
  // Its foot is drawn where the track is, in this frame and in others.
  for (int frame : {60, 63}) {
    goTo(frame);
    const auto faces = desktop::plateObjects(session().model, session().objects.shown(), frame).faces;
    EXPECT_GT(faces.size(), 20u);
    const auto mark = std::find_if(window->plate().marks().begin(), window->plate().marks().end(), [&](const auto& m) { return m.id == ids[0]; });
    if (mark == window->plate().marks().end()) continue;
    double nearest = 1e9;
    for (const auto& face : faces) nearest = std::min(nearest, std::abs(face.outline.boundingRect().center().x() - mark->reprojected.x()));
    EXPECT_LT(nearest, 20);
  }
  session().model.undo();
  session().model.undo();
  EXPECT_TRUE(session().model.document().picks.objects.empty());
  EXPECT_FALSE(session().model.scene()->metric);
}

TEST_F(WindowTest, TestObjectsOfAllShapesAreChangedInTheirRowsAndTakenAway) {
  const auto ids = keptInView(4);
  auto& picks = session().selection;
  const auto objects = [] { return session().model.document().picks.objects; };
  window->steps().openStep(Step::Scene);
  picks.pick({ids[0]}, desktop::Selection::Mode::Replace);
  window->trackActions().figure->trigger();
  ASSERT_EQ(objects().size(), 1u);
  EXPECT_EQ(objects()[0].size, 1.8) << "as tall as a person";
  picks.pick(ids, desktop::Selection::Mode::Replace);
  window->trackActions().floor->trigger();
  window->trackActions().card->trigger();
  ASSERT_EQ(objects().size(), 3u) << "one in the plane of all that are selected";
  EXPECT_EQ(objects()[1].plane, ids);
  goTo(60);
  EXPECT_GT(desktop::plateObjects(session().model, session().objects.shown(), 60).faces.size(), 200u);
  EXPECT_GE(desktop::plateObjects(session().model, session().objects.shown(), 60).shadows.size(), 1u) << "the figure's";
  auto* turn = window->findChild<QDoubleSpinBox*>("turn of object 1");
  auto* size = window->findChild<QDoubleSpinBox*>("size of object 3");
  ASSERT_TRUE(turn && size);
  turn->setValue(90), size->setValue(2.5);
  EXPECT_EQ(objects()[0].turn_deg, 90);
  EXPECT_EQ(objects()[2].size, 2.5);
  window->steps().ensureWidgetVisible(window->findChild<QWidget*>("remove object 2"));
  ASSERT_TRUE(click(*window, "remove object 2"));
  QTest::qWait(20);
  ASSERT_EQ(objects().size(), 2u);
  EXPECT_EQ(objects()[1].id, 3);
  while (!objects().empty()) session().model.undo();
  QTest::qWait(20);
  EXPECT_FALSE(window->findChild<QWidget*>("size of object 3"));
}

TEST_F(WindowTest, PathsAndMeanErrorsAreShownOverThePlate) {
  ASSERT_TRUE(waitUntil([] { return session().facts.current(); }));
  const auto shown = [] { return window->plate().grab().toImage(); };
  const QImage before = shown();
  key(Qt::Key_S);
  const auto& marks = window->plate().marks();
  EXPECT_TRUE(std::any_of(marks.begin(), marks.end(), [](const auto& m) { return m.after.size() > 4; }));
  EXPECT_NE(shown(), before);
  key(Qt::Key_S);
  EXPECT_EQ(shown(), before);
  EXPECT_GT(session().facts.now()->field.cells.size(), 60u);
  key(Qt::Key_V);
  EXPECT_NE(shown(), before);
  key(Qt::Key_V);
  EXPECT_EQ(shown(), before);
}

TEST_F(WindowTest, PointingMarksTheTrackInPlateAndSpaceAndLetsGo) {
  const auto inSpace = keptInView(200);
  const auto seen = std::find_if(inSpace.begin(), inSpace.end(), [](int id) { return window->space().placeOf(id).has_value(); });
  ASSERT_NE(seen, inSpace.end());
  const auto shown = [](QWidget& view) {
    QApplication::processEvents();
    return view.grab().toImage();
  };
  const QImage plate = shown(window->plate()), map = shown(window->errorMap());
  session().selection.hover(*seen);
  EXPECT_NE(shown(window->plate()), plate);
  EXPECT_NE(shown(window->errorMap()), map);
  session().selection.hover(0);
  EXPECT_EQ(shown(window->plate()), plate);
  EXPECT_EQ(shown(window->errorMap()), map);
}

TEST_F(WindowTest, PointsTakeTheColoursOfAMeasure) {
  ASSERT_TRUE(waitUntil([] { return session().facts.current(); }));
  const auto& contents = window->space().contents();
  EXPECT_EQ(contents.scale, "");
  auto* field = window->findChild<QComboBox*>("pointColor");
  for (const char* word : {"", "depth", "parallax", "deviation", ""}) {
    key(Qt::Key_C);
    EXPECT_TRUE(contents.scale.contains(word)) << word << ": " << contents.scale.toStdString();
    EXPECT_EQ(contents.scale.isEmpty(), *word == 0);
    EXPECT_EQ(field->currentIndex(), static_cast<int>(session().view.pointColor()));
  }
  // Near is light, far is dark.
  session().view.setPointColor(desktop::ViewSettings::PointColor::Depth);
  const auto lightness = [&](std::size_t i) { return contents.points[i].r + contents.points[i].g + contents.points[i].b; };
  double near_light = 0, far_light = 0;
  int near_count = 0, far_count = 0;
  for (std::size_t i = 0; i < contents.points.size(); ++i) {
    const TrackMeasures* measures = session().facts.now()->find(contents.point_ids[i]);
    if (!measures || std::isnan(measures->distance)) continue;
    if (measures->distance < 0.6) near_light += lightness(i), ++near_count;
    if (measures->distance > 1.8) far_light += lightness(i), ++far_count;
  }
  ASSERT_GT(near_count, 3);
  ASSERT_GT(far_count, 3);
  EXPECT_GT(near_light / near_count, far_light / far_count + 0.5);
  session().view.setPointColor(desktop::ViewSettings::PointColor::Picture);
}

TEST_F(WindowTest, DistanceAndAngleOfWhatIsSelectedAreRead) {
  const auto ids = keptInView(3);
  auto* card = window->findChild<QLabel*>("trackCard");
  const auto place = [](int id) { return session().model.scene()->scene_from_solve * session().model.solution()->find(id)->point; };
  session().selection.pick({ids[0], ids[1]}, desktop::Selection::Mode::Replace);
  const double apart = (place(ids[0]) - place(ids[1])).norm();
  EXPECT_TRUE(card->text().contains(QString::number(apart, 'g', 3) + " units apart")) << card->text().toStdString();
  session().selection.pick({ids[2]}, desktop::Selection::Mode::Add);
  const Vec3 one = (place(ids[0]) - place(ids[1])).normalized(), other = (place(ids[2]) - place(ids[1])).normalized();
  EXPECT_TRUE(card->text().contains(QString::number(std::acos(one.dot(other)) * 180 / M_PI, 'f', 1) + "°")) << card->text().toStdString();
}

TEST_F(WindowTest, SettingAsideMakesTheSolveStaleAndComesBack) {
  const auto ids = keptInView(3);
  session().selection.pick(ids, desktop::Selection::Mode::Replace);
  const SolutionPtr solved = session().model.solution();
  key(Qt::Key_X);
  EXPECT_EQ(session().model.document().picks.set_aside.size(), 3u);
  EXPECT_EQ(session().model.workspace().status(Step::Solve).state, StepState::Stale);
  EXPECT_TRUE(window->findChild<QPushButton*>("verdictHurt")->text().contains("solve again"));
  key(Qt::Key_X, Qt::ShiftModifier);
  EXPECT_TRUE(session().model.document().picks.set_aside.empty());
  EXPECT_EQ(session().model.workspace().status(Step::Solve).state, StepState::Current);
  EXPECT_EQ(session().model.solution(), solved);
}

TEST_F(WindowTest, CancelKeepsWhatWasThere) {
  const SolutionPtr before = session().model.solution();
  FollowOptions options = session().model.document().tracking;
  options.features = 200;
  session().model.set("Change features", &Document::tracking, options);
  window->steps().openStep(Step::Tracks);
  ASSERT_TRUE(click(*window, "runTracks"));
  ASSERT_TRUE(waitUntil([] { return session().jobs.state(Step::Tracks).fraction > 0.05; }));
  auto* cancel = window->steps().row(Step::Tracks).findChild<QPushButton*>("cancel");
  ASSERT_TRUE(cancel && cancel->isVisible());
  QTest::mouseClick(cancel, Qt::LeftButton);
  ASSERT_TRUE(waitForJobs(*window, 15000));
  EXPECT_FALSE(session().model.partial());
  session().model.undo();
  EXPECT_EQ(session().model.solution(), before);
  EXPECT_EQ(session().model.workspace().status(Step::Solve).state, StepState::Current);
  session().jobs.forgetFailures();
}

TEST_F(WindowTest, MattesMakeTheTracksStaleAndUndoMakesThemGood) {
  const TemporaryFolder folder;
  Picture matte(1280, 720);
  for (int y = 0; y < 720; ++y) std::fill_n(matte.row(y), 300, Rgb{255, 255, 255});
  for (int n = 1; n <= 120; ++n) ASSERT_TRUE(writePicture(folder / ("m." + std::to_string(n) + ".png"), matte).ok());
  window->steps().openStep(Step::Masks);
  const auto status = [](Step step) { return session().model.workspace().status(step); };
  ASSERT_EQ(status(Step::Tracks).state, StepState::Current);
  desktop::useMattes(session(), QString::fromStdString(folder.path().string()));
  EXPECT_EQ(status(Step::Masks).state, StepState::Current);
  EXPECT_EQ(status(Step::Tracks).state, StepState::Stale);
  EXPECT_EQ(window->findChild<QLabel*>("matteFolder")->text().toStdString(), folder.path().filename().string());
  ASSERT_TRUE(waitUntil([] { return !session().frames.frame(session().playback.frame()).isNull(); }, 10000));
  ASSERT_TRUE(click(*window, "removeMattes"));
  EXPECT_EQ(status(Step::Tracks).state, StepState::Current) << "the earlier tracks are there again";
  session().model.undo();
  session().model.undo();
  EXPECT_EQ(status(Step::Masks).state, StepState::NotRun);
  EXPECT_EQ(status(Step::Solve).state, StepState::Current);
}

TEST_F(WindowTest, SavesReopensAndDelivers) {
  const TemporaryFolder folder;
  const auto ids = keptInView(4);
  session().selection.pick(ids, desktop::Selection::Mode::Replace);
  window->trackActions().ground->trigger();
  const QString path = QString::fromStdString((folder / "ferry.moth").string());
  ASSERT_TRUE(window->saveTo(path));
  EXPECT_TRUE(window->windowTitle().contains("ferry.moth"));
  window->trackActions().pin->trigger();  // saved as it is made
  ASSERT_TRUE(session().model.workspace().writer()->flush().ok());

  MainWindow other;
  showWindow(other);
  ASSERT_TRUE(openAndWait(other, path));
  EXPECT_EQ(other.session().model.document(), session().model.document());
  ASSERT_TRUE(other.session().model.solution());
  EXPECT_EQ(other.session().model.solution()->rms_px, session().model.solution()->rms_px);
  EXPECT_EQ(other.notice(), "");

  other.steps().openStep(Step::Deliver);
  auto* place = other.findChild<QLineEdit*>("deliveryFolder");
  place->setText(QString::fromStdString((folder / "out").string()));
  QTest::keyClick(place, Qt::Key_Return);
  ASSERT_TRUE(click(other, "runDeliver"));
  ASSERT_TRUE(waitForJobs(other, 20000));
  EXPECT_EQ(other.findChild<QListWidget*>("delivered")->count(), 7) << "four files and their receipt: json, page and picture";
  for (const char* name : {"camera.glb", "points.ply", "camera.csv", "report.json"}) EXPECT_TRUE(std::filesystem::exists(folder / "out" / name)) << name;
  // The other window wrote into the file: this one goes on in another, which outlives the test.
  EXPECT_TRUE(session().model.workspace().fileChangedOutside());
  static const TemporaryFolder kept;
  ASSERT_TRUE(window->saveTo(QString::fromStdString((kept / "ferry.moth").string())));
  EXPECT_FALSE(session().model.unsaved());
  session().model.undo();
  session().model.undo();
}

TEST_F(WindowTest, WhatCannotBeOpenedIsSaidAndTheShotStays) {
  window->open("/no/such/shot.mp4");
  ASSERT_TRUE(waitForJobs(*window, 10000));
  EXPECT_TRUE(window->notice().contains("/no/such/shot.mp4"));
  EXPECT_EQ(session().model.solution()->placedFrames(), 120);
  session().jobs.forgetFailures();
}

TEST(EmptyWindow, OffersTheDemoAndOpensWhatIsDropped) {
  MainWindow window;
  showWindow(window);
  EXPECT_EQ(window.windowTitle(), "Dusky Moth");
  QMimeData dropped;
  dropped.setUrls({QUrl::fromLocalFile(demo())});
  QDragEnterEvent enter(QPoint(300, 300), Qt::CopyAction, &dropped, Qt::LeftButton, Qt::NoModifier);
  QApplication::sendEvent(&window, &enter);
  EXPECT_TRUE(enter.isAccepted());
  QDropEvent drop(QPointF(300, 300), Qt::CopyAction, &dropped, Qt::LeftButton, Qt::NoModifier);
  QApplication::sendEvent(&window, &drop);
  ASSERT_TRUE(waitForJobs(window, 20000));
  EXPECT_TRUE(window.session().model.hasFootage());
  EXPECT_TRUE(window.windowTitle().contains("ferry-landing.mp4"));
  EXPECT_EQ(window.steps().opened(), Step::Tracks);
}

TEST(EmptyWindow, EveryButtonAndActionSaysWhatItDoes) {
  MainWindow window;
  showWindow(window);
  ASSERT_TRUE(openAndWait(window, demo()));
  for (const auto* button : window.findChildren<QAbstractButton*>()) {
    if (button->objectName().startsWith("qt_") || !button->isVisible()) continue;
    EXPECT_FALSE(button->toolTip().isEmpty()) << button->text().toStdString() << " " << button->objectName().toStdString();
  }
  for (const auto* field : window.findChildren<QAbstractSpinBox*>()) EXPECT_FALSE(field->toolTip().isEmpty()) << field->objectName().toStdString();
}
}  // namespace dusky::testing

int main(int argc, char** argv) { return dusky::testing::runTests(argc, argv); }
