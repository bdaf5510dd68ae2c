// Space in a real window under Xvfb: along an axis with its rulers, how deep a region reaches, ellipsoids; and test objects held by their handles.
#include <gtest/gtest.h>

#include <QAction>
#include <QApplication>
#include <QComboBox>
#include <QDoubleSpinBox>
#include <QLabel>
#include <QPushButton>
#include <QWheelEvent>
#include <cmath>

#include "apps/desktop/plate/plate_view.h"
#include "apps/desktop/space/axis_rulers.h"
#include "apps/desktop/space/space_view.h"
#include "apps/desktop/steps/steps_panel.h"
#include "core/base/atomic_file.h"
#include "core/geometry/ellipsoid.h"
#include "core/project/edits.h"
#include "core/scene/mesh_in_scene.h"
#include "core/scene/object_handles.h"
#include "tests/apps/desktop/quay_window.h"
#include "tests/apps/desktop/run_tests.h"
#include "tests/support/made_mesh.h"
#include "tests/support/temporary_folder.h"

namespace dusky::testing {
using desktop::Eye;
using desktop::Selection;

class SpaceTest : public SolvedQuayWindow {
 protected:
  desktop::SpaceView& space() { return window->space(); }
  desktop::PlateView& plate() { return window->plate(); }
  void key(Qt::Key code, Qt::KeyboardModifiers with = {}) {
    window->setFocus();
    QTest::keyClick(window.get(), code, with);
    QTest::qWait(30);
  }
  /// The lowest kept track well inside of both views: its level is not seen edge on.
  int trackInView() {
    int lowest = 0;
    for (const auto& mark : plate().marks()) {
      const auto at = space().placeOf(mark.id);
      const QPointF seen = plate().toWidget(mark.measured);
      if (mark.glyph != desktop::Glyph::Kept || !at || !QRectF(space().rect()).adjusted(60, 60, -60, -60).contains(*at)) continue;
      if (!QRectF(plate().rect()).adjusted(70, 70, -70, -60).contains(seen)) continue;
      if (lowest == 0 || placeOf(mark.id).y() < placeOf(lowest).y()) lowest = mark.id;
    }
    return lowest;
  }
  TestObject object() { return document().picks.objects.front(); }
  ObjectHandles handles() { return *handlesOf(object(), *session().model.solution(), *session().model.scene()); }
  QPointF onPlate(const Vec3& place) {
    const Vec2 at = *desktop::cameraAt(session().model, session().playback.frame())->see(place);
    return plate().toWidget(QPointF(at.x(), at.y()));
  }
};

TEST_F(SpaceTest, AlongAnAxisRulersTellWhereThingsAre) {
  for (const auto& [code, mode] : {std::pair{Qt::Key_3, Eye::Mode::Top}, {Qt::Key_5, Eye::Mode::Front}, {Qt::Key_6, Eye::Mode::Side}}) {
    key(code);
    ASSERT_EQ(space().mode(), mode);
    const Eye& eye = space().eye();
    const double unit = eye.unitsPerPx(static_cast<float>(space().height()));
    const auto across = desktop::AxisMeasure::along(eye.right(), eye.target, unit, space().width());
    const auto upwards = desktop::AxisMeasure::along(eye.up(), eye.target, unit, space().height());
    EXPECT_NE(across.axis, upwards.axis);
    int seen = 0;
    for (const int id : space().contents().point_ids) {
      const auto at = space().placeOf(id);
      if (!at || !space().rect().contains(at->toPoint())) continue;
      ++seen;
      EXPECT_NEAR(across.at(at->x()), placeOf(id)[across.axis], unit) << "to a px";
      EXPECT_NEAR(upwards.at(space().height() - at->y()), placeOf(id)[upwards.axis], unit);
    }
    EXPECT_GT(seen, 50);
    // Lines, numbers and the names of two axes stand on the dark of the rulers.
    const QImage drawn = space().grab().toImage();
    int light = 0;
    for (int x = 0; x < drawn.width(); ++x) light += qGray(drawn.pixel(x, drawn.height() - 9)) > 120;
    EXPECT_GT(light, 15);
  }
  // What is turned is an orbit from where it stood, and the heading says so.
  drag(space(), {{200, 150}, {230, 160}, {260, 170}}, Qt::NoModifier, Qt::RightButton);
  EXPECT_EQ(space().mode(), Eye::Mode::Orbit);
}

TEST_F(SpaceTest, ItTurnsAboutWhatIsUnderThePointerAndBringsTheSelectionIntoView) {
  const int id = trackInView();
  ASSERT_GT(id, 0);
  const QPointF at = *space().placeOf(id);
  const int other =
      session().model.solution()->tracks.front().id == id ? session().model.solution()->tracks.back().id : session().model.solution()->tracks.front().id;
  const auto other_at = space().placeOf(other);
  drag(space(), {at, at + QPointF(30, 8), at + QPointF(70, 20)}, Qt::NoModifier, Qt::RightButton);
  const QPointF after = *space().placeOf(id);
  EXPECT_LT(std::hypot(after.x() - at.x(), after.y() - at.y()), 1) << "it stays";
  if (other_at && space().placeOf(other)) EXPECT_NE(*other_at, *space().placeOf(other));
  session().selection.pick({id}, Selection::Mode::Replace);
  key(Qt::Key_A);
  const QPointF middle = *space().placeOf(id);
  EXPECT_LT(std::hypot(middle.x() - space().width() / 2.0, middle.y() - space().height() / 2.0), 2);
  const float near = space().eye().distance;
  session().selection.clear();
  key(Qt::Key_A);
  EXPECT_GT(space().eye().distance, 3 * near) << "without a selection the whole set";
}

TEST_F(SpaceTest, TheWheelSaysHowDeepARegionReaches) {
  const QPoint from(4, 4), to(space().width() - 5, space().height() - 5);
  const auto chosen = [&](int notches) {
    QTest::mousePress(&space(), Qt::LeftButton, {}, from);
    QTest::mouseMove(&space(), from + QPoint(20, 20));
    QTest::mouseMove(&space(), to);
    if (notches != 0) turnWheel(space(), to, notches);
    QTest::qWait(20);
    QTest::mouseRelease(&space(), Qt::LeftButton, {}, to);
    return session().selection.ids();
  };
  const std::vector<int> all = chosen(0), near = chosen(-8), again = chosen(0);
  ASSERT_GT(all.size(), 60u);
  EXPECT_EQ(again, all) << "each region begins without a limit";
  ASSERT_GT(near.size(), 0u);
  ASSERT_LT(near.size(), all.size());
  const Eye& eye = space().eye();
  const QMatrix4x4 clip = eye.matrix(static_cast<float>(space().width()) / static_cast<float>(space().height()), nullptr, nullptr);
  const auto depthOf = [&](int id) {
    const Vec3 p = placeOf(id);
    return eye.depthOf(clip * QVector4D(static_cast<float>(p.x()), static_cast<float>(p.y()), static_cast<float>(p.z()), 1));
  };
  float deepest = 0, nearest_left = 1e9f;
  for (const int id : near) deepest = std::max(deepest, depthOf(id));
  for (const int id : all) {
    if (std::find(near.begin(), near.end(), id) == near.end()) nearest_left = std::min(nearest_left, depthOf(id));
  }
  EXPECT_LE(deepest, nearest_left) << "what lies nearer than the limit, and nothing else";
  EXPECT_EQ(space().mode(), Eye::Mode::Orbit);
}

TEST_F(SpaceTest, EllipsoidsShowHowSureTheSelectedPlacesAre) {
  const int id = trackInView();
  ASSERT_GT(id, 0);
  session().selection.pick({id}, Selection::Mode::Replace);
  const desktop::SpaceMarked marked = desktop::buildMarked(session(), space().contents());
  ASSERT_FALSE(marked.ellipsoids.empty());
  const double scale = session().model.scene()->scene_from_solve.scale;
  const double longest = scale * ellipsoidAxes(session().model.solution()->find(id)->covariance).col(0).norm();
  double reached = 0;
  for (const auto& v : marked.ellipsoids) reached = std::max(reached, (Vec3(v.x, v.y, v.z) - placeOf(id)).norm());
  EXPECT_NEAR(reached, marked.enlarged * longest, 0.01 * reached);
  EXPECT_GT(reached, 0.01 * space().contents().reach) << "it can be seen";
  EXPECT_NEAR(std::remainder(std::log10(marked.enlarged), 1), 0, 1e-9) << "a power of ten";
  const QImage with = space().grab().toImage();
  key(Qt::Key_D);
  EXPECT_FALSE(session().view.ellipsoidsShown());
  EXPECT_NE(space().grab().toImage(), with);
  EXPECT_TRUE(desktop::buildMarked(session(), space().contents()).ellipsoids.empty());
  key(Qt::Key_D);
  EXPECT_TRUE(session().view.ellipsoidsShown());
}

TEST_F(SpaceTest, ATestObjectIsMovedTurnedAndScaledByItsHandlesInSpaceAndOnThePlate) {
  const int id = trackInView();
  ASSERT_GT(id, 0);
  session().selection.pick({id}, Selection::Mode::Replace);
  window->trackActions().cube->trigger();
  ASSERT_TRUE(session().objects.chosen()) << "the newest shows its handles";
  session().selection.clear();
  QTest::qWait(30);
  // In Space: held at its foot, where its track is.
  const QPointF foot = space().placeOf(id)->toPoint(), there = foot + QPointF(36, 14);
  drag(space(), {foot, foot + QPointF(10, 4), there});
  EXPECT_GT(std::hypot(object().along, object().across), 0);
  EXPECT_TRUE(session().selection.empty()) << "no region was drawn";
  drag(space(), {there, there - QPointF(10, 4), foot});
  EXPECT_NEAR(std::hypot(object().along, object().across), 0, 1e-3 * object().size) << "and back to where it was";
  session().model.undo();
  EXPECT_GT(std::hypot(object().along, object().across), 0) << "a drag is one change";
  // On the Plate: its foot goes where the pointer goes.
  const QPointF seen = onPlate(handles().move), wanted = seen + QPointF(-24, 6);
  drag(plate(), {seen, seen + QPointF(-12, 3), wanted});
  const QPointF now = onPlate(handles().move);
  EXPECT_LT(std::hypot(now.x() - wanted.x(), now.y() - wanted.y()), 1.5);
  const double turned = object().turn_deg;
  drag(plate(), {onPlate(handles().turn), onPlate(handles().ring[6]), onPlate(handles().ring[12])});
  EXPECT_GT(std::abs(std::remainder(object().turn_deg - turned, 360)), 30);
  drag(plate(), {onPlate(handles().turn), onPlate(handles().ring[20]), onPlate(handles().ring[21])}, Qt::ShiftModifier);
  EXPECT_NEAR(std::remainder(object().turn_deg, 15), 0, 1e-9) << "by steps";
  const double size = object().size;
  const QPointF handle = onPlate(handles().size), middle = onPlate(handles().move);
  drag(plate(), {handle, handle + 0.2 * (handle - middle), handle + 0.5 * (handle - middle)});
  EXPECT_GT(object().size, 1.2 * size);
  // Escape during a drag: nothing of it counts.
  const TestObject before = object();
  const QPointF from = onPlate(handles().move);
  QTest::mousePress(&plate(), Qt::LeftButton, {}, from.toPoint());
  QTest::mouseMove(&plate(), (from + QPointF(15, 5)).toPoint());
  key(Qt::Key_Escape);
  QTest::mouseMove(&plate(), (from + QPointF(40, 15)).toPoint());
  QTest::mouseRelease(&plate(), Qt::LeftButton, {}, (from + QPointF(40, 15)).toPoint());
  EXPECT_EQ(object(), before);
  EXPECT_FALSE(session().objects.chosen());
}

TEST_F(SpaceTest, TheSceneIsMovedByHandlesInSpaceAndOnThePlateAndByNumbers) {
  window->steps().openStep(Step::Scene);
  session().selection.clear();
  EXPECT_FALSE(space().placeOf(SceneHandle::MoveX)) << "not before they are asked for";
  key(Qt::Key_M, Qt::ShiftModifier);
  ASSERT_TRUE(session().view.handlesShown());
  const int id = trackInView();
  session().selection.pick({id}, Selection::Mode::Replace);
  QTest::qWait(30);
  const auto moved = [this] { return session().model.scene()->moved; };
  // In Space: the set follows the pointer along the axis, seen while it is dragged.
  const Vec3 began = placeOf(id);
  const QPointF x = *space().placeOf(SceneHandle::MoveX), pivot = *space().placeOf(id), along = (x - pivot) / std::hypot(x.x() - pivot.x(), x.y() - pivot.y());
  QTest::mousePress(&space(), Qt::LeftButton, {}, x.toPoint());
  QTest::mouseMove(&space(), (x + 10 * along).toPoint());
  QTest::mouseMove(&space(), (x + 40 * along).toPoint());
  EXPECT_GT(placeOf(id).x(), began.x() + 1e-6);
  EXPECT_TRUE(document().picks.scene.move.none()) << "nothing is changed yet";
  QTest::mouseRelease(&space(), Qt::LeftButton, {}, (x + 40 * along).toPoint());
  const Vec3 after = placeOf(id);
  EXPECT_GT(after.x(), began.x() + 1e-6);
  EXPECT_NEAR(after.y(), began.y(), 1e-9);
  EXPECT_NEAR(after.z(), began.z(), 1e-9);
  auto* field = window->findChild<QDoubleSpinBox*>("moveX");
  ASSERT_TRUE(field);
  EXPECT_NEAR(field->value(), after.x() - began.x(), 1e-3) << "the number tells";
  session().model.undo();
  EXPECT_TRUE(moved().none()) << "a drag is one change";
  // On the Plate the picture stays and the world is dragged over it: by steps about what is up.
  const QPointF seen = onPlate(placeOf(id));
  const auto turn = space().placeOf(SceneHandle::TurnY);
  ASSERT_TRUE(turn);
  const auto on_plate = plate().placeOf(SceneHandle::TurnY), lift = plate().placeOf(SceneHandle::MoveY);
  ASSERT_TRUE(on_plate && lift);
  drag(plate(), {*on_plate, *on_plate + QPointF(-20, 0), *on_plate + QPointF(-45, 0)}, Qt::ShiftModifier);
  EXPECT_GT(std::abs(moved().turn_deg.y()), 10);
  EXPECT_NEAR(std::remainder(moved().turn_deg.y(), 15), 0, 1e-6);
  EXPECT_LT(std::hypot(onPlate(placeOf(id)).x() - seen.x(), onPlate(placeOf(id)).y() - seen.y()), 0.01) << "the picture does not move";
  // Escape during a drag: nothing of it counts.
  const SceneMove before = moved();
  const QPointF from = *plate().placeOf(SceneHandle::MoveY);
  QTest::mousePress(&plate(), Qt::LeftButton, {}, from.toPoint());
  QTest::mouseMove(&plate(), (from + QPointF(0, -15)).toPoint());
  QTest::mouseMove(&plate(), (from + QPointF(0, -30)).toPoint());
  EXPECT_NE(moved().shift, before.shift);
  key(Qt::Key_Escape);
  EXPECT_EQ(moved(), before);
  QTest::mouseMove(&plate(), (from + QPointF(0, -60)).toPoint());
  QTest::mouseRelease(&plate(), Qt::LeftButton, {}, (from + QPointF(0, -60)).toPoint());
  EXPECT_EQ(moved(), before);
  EXPECT_FALSE(session().selection.empty()) << "only the drag was given up";
  // By numbers, with Z up, and back.
  ASSERT_TRUE(click(*window, "resetMove"));
  EXPECT_TRUE(moved().none());
  auto* up = window->findChild<QComboBox*>("upAxis");
  window->steps().ensureWidgetVisible(up);
  up->setCurrentIndex(1);
  auto* height = window->findChild<QDoubleSpinBox*>("moveZ");
  height->setFocus();
  height->selectAll();
  QTest::keyClicks(height, "0.25");
  QTest::keyClick(height, Qt::Key_Return);
  EXPECT_NEAR(moved().shift.y(), 0.25, 1e-9) << "Z is up";
  // The camera's height sets the scale, and what it holds cannot be moved any more.
  ASSERT_TRUE(click(*window, "useCameraHeight"));
  const SceneFrame& scene = *session().model.scene();
  EXPECT_TRUE(scene.metric);
  const SolvedFrame* shown = session().model.solution()->frameAt(session().playback.frame());
  EXPECT_NEAR((scene.scene_from_solve * shown->pose.centre).y(), 1.6, 1e-6);
  EXPECT_FALSE(height->isEnabled());
  EXPECT_FALSE(window->findChild<QDoubleSpinBox*>("moveScale")->isEnabled());
  EXPECT_FALSE(plate().placeOf(SceneHandle::MoveY));
  key(Qt::Key_M, Qt::ShiftModifier);
  EXPECT_FALSE(plate().placeOf(SceneHandle::MoveX));
}

TEST_F(SpaceTest, AMeshOfTheSetIsImportedDrawnPickedOnAndTakesTheScene) {
  const TemporaryFolder folder;
  // A floor below all points, in the scene as it is guessed: picks must land on it.
  Vec3 low = Vec3::Constant(1e9), high = -low;
  for (const auto& mark : plate().marks()) {
    if (!space().placeOf(mark.id)) continue;
    low = low.cwiseMin(placeOf(mark.id)), high = high.cwiseMax(placeOf(mark.id));
  }
  const double floor = low.y() - 0.4;
  const SetMesh box = boxMesh({low.x() - 2, floor - 0.1, low.z() - 2}, {high.x() + 2, floor, high.z() + 2});
  writeObj(folder / "floor.obj", box);
  window->useMesh(QString::fromStdString((folder / "none.obj").string()));
  ASSERT_TRUE(waitUntil([this] { return !session().mesh.problem().isEmpty(); }));
  EXPECT_TRUE(window->findChild<QLabel*>("meshState")->text().contains("no such file"));
  window->useMesh(QString::fromStdString((folder / "floor.obj").string()));
  ASSERT_TRUE(waitUntil([this] { return session().mesh.mesh().surface != nullptr; }));
  EXPECT_TRUE(session().mesh.problem().isEmpty());
  QTest::qWait(60);
  EXPECT_TRUE(window->findChild<QLabel*>("meshState")->text().contains("12 triangles"));
  // Drawn in both views, in each way, and not at all.
  auto* style = window->findChild<QComboBox*>("meshStyle");
  std::vector<QImage> plates, spaces;
  for (int i = 0; i < 4; ++i) {
    style->setCurrentIndex(i);
    // What is drawn is worked out beside: until nothing changes for a while.
    QImage on_plate, in_space;
    int alike = 0;
    waitUntil([&] {
      QTest::qWait(250);
      const QImage plate_now = plate().grab().toImage(), space_now = space().grab().toImage();
      alike = plate_now == on_plate && space_now == in_space ? alike + 1 : 0;
      on_plate = plate_now, in_space = space_now;
      return alike >= 4;
    });
    plates.push_back(on_plate), spaces.push_back(in_space);
  }
  for (const auto* pictures : {&plates, &spaces}) {
    EXPECT_NE((*pictures)[0], (*pictures)[3]);
    EXPECT_NE((*pictures)[2], (*pictures)[3]);
    EXPECT_NE((*pictures)[2], (*pictures)[1]);
  }
  // A track's place is clicked on the Plate.
  const int id = trackInView();
  ASSERT_GT(id, 0);
  auto* pick = window->findChild<QPushButton*>("pickOnMesh");
  session().selection.clear();
  EXPECT_FALSE(pick->isEnabled());
  session().selection.pick({id}, Selection::Mode::Replace);
  EXPECT_TRUE(pick->isEnabled());
  ASSERT_TRUE(click(*window, "pickOnMesh"));
  const QPointF at = onPlate(placeOf(id));
  QTest::mouseClick(&plate(), Qt::LeftButton, {}, at.toPoint());
  ASSERT_EQ(document().picks.knowledge.survey.size(), 1u);
  const SurveyPoint picked = document().picks.knowledge.survey.front();
  EXPECT_EQ(picked.track, id);
  EXPECT_NEAR(picked.at.y(), floor, 1e-4) << "on the upper side of the floor";
  const QPointF seen = onPlate(picked.at);
  EXPECT_LT(std::hypot(seen.x() - at.x(), seen.y() - at.y()), 1.5) << "where it was clicked";
  EXPECT_EQ(session().view.tool(), desktop::ViewSettings::Tool::Box) << "one click, one pick";
  // In Space the same; it takes the first one's place.
  ASSERT_TRUE(click(*window, "pickOnMesh"));
  QTest::mouseClick(&space(), Qt::LeftButton, {}, space().placeOf(id)->toPoint());
  ASSERT_EQ(document().picks.knowledge.survey.size(), 1u);
  EXPECT_NE(document().picks.knowledge.survey.front().at, picked.at);
  session().model.undo();
  EXPECT_EQ(document().picks.knowledge.survey.front().at, picked.at);
  // Three picks place the scene, and what is shown stands where they say.
  Knowledge three = document().picks.knowledge;
  for (const auto& mark : plate().marks()) {
    if (three.survey.size() < 3 && mark.id != id && space().placeOf(mark.id)) three = withPick(three, mark.id, 2 * placeOf(mark.id) + Vec3(1, 0, 0), 5, 0.002);
  }
  session().model.run(changeKnowledge("Pick on the mesh", document(), three));
  ASSERT_TRUE(session().model.scene()->surveyed);
  const auto& contents = space().contents();
  for (std::size_t k = 0; k < contents.points.size(); k += 40) {
    const Vec3 place = placeOf(contents.point_ids[k]);
    EXPECT_NEAR(contents.points[k].x, place.x(), 1e-4 * (1 + place.norm()));
  }
  EXPECT_FALSE(window->findChild<QDoubleSpinBox*>("moveX")->isEnabled()) << "the survey says where it stands";
  session().model.undo();
  // The points lie on one plane at most: the mesh cannot hold them, and that is said where the artist looks.
  ASSERT_TRUE(click(*window, "layOnMesh"));
  ASSERT_TRUE(waitForJobs(*window));
  EXPECT_FALSE(session().jobs.state(Step::Scene).failure.isEmpty());
  session().model.undo();
  session().model.undo();
  EXPECT_TRUE(document().mesh.path.ends_with("none.obj"));
}

TEST_F(SpaceTest, AnObjectIsChosenByAClickAndLetGoByEscapeOrElsewhere) {
  const int id = trackInView();
  session().selection.pick({id}, Selection::Mode::Replace);
  window->steps().openStep(Step::Scene);
  window->trackActions().cube->trigger();
  session().selection.clear();
  key(Qt::Key_Escape);
  EXPECT_FALSE(session().objects.chosen());
  TestObject large = object();
  large.size *= 3;
  session().model.run(changeObject(document(), large));
  key(Qt::Key_T);  // no tracks before it
  QTest::qWait(30);
  const QPointF body = onPlate(placeOf(id) + Vec3(0, 0.5 * large.size, 0));
  QTest::mouseClick(&plate(), Qt::LeftButton, {}, body.toPoint());
  ASSERT_TRUE(session().objects.chosen());
  auto* row = window->findChild<QPushButton*>("choose object 1");
  ASSERT_TRUE(row);
  EXPECT_TRUE(row->isChecked()) << "its row tells as well";
  QTest::mouseClick(&plate(), Qt::LeftButton, {}, QPoint(6, plate().height() / 2));
  EXPECT_FALSE(session().objects.chosen());
  window->steps().ensureWidgetVisible(row);
  ASSERT_TRUE(click(*window, "choose object 1"));
  EXPECT_TRUE(session().objects.chosen());
  session().model.undo();
  session().model.undo();
  EXPECT_TRUE(document().picks.objects.empty());
  EXPECT_FALSE(session().objects.chosen()) << "it is gone";
  key(Qt::Key_T);
}

}  // namespace dusky::testing

int main(int argc, char** argv) { return dusky::testing::runTests(argc, argv); }
