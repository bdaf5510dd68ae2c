// Lens curves, sweeps, known lens values, the Plate without distortion and the straight-line check, in a real window under Xvfb.
#include <gtest/gtest.h>

#include <QApplication>
#include <QComboBox>
#include <QDoubleSpinBox>
#include <QLabel>
#include <QPushButton>
#include <QSpinBox>

#include "apps/desktop/curves/lens_view.h"
#include "apps/desktop/errormap/error_map.h"
#include "apps/desktop/plate/edge_tool.h"
#include "apps/desktop/plate/plate_view.h"
#include "apps/desktop/plate/straight_picture.h"
#include "apps/desktop/steps/steps_panel.h"
#include "apps/desktop/sweep/sweep_view.h"
#include "core/project/edits.h"
#include "tests/apps/desktop/quay_window.h"
#include "tests/apps/desktop/run_tests.h"

namespace dusky::testing {

class LensAndSweepTest : public QuayWindow {
 protected:
  void SetUp() override {
    QuayWindow::SetUp();
    if (HasFatalFailure()) return;
    session().jobs.runSolve();
    ASSERT_TRUE(waitForJobs(*window));
    ASSERT_TRUE(session().model.solution());
    QTest::qWait(50);
  }
  void choose(const char* field, const char* data) {
    auto* box = window->findChild<QComboBox*>(field);
    ASSERT_TRUE(box);
    box->setCurrentIndex(box->findData(data));
    QTest::qWait(20);
  }
  /// A sweep of k1 and the axis together, so many values of each.
  void startMap(int values) {
    window->showView(desktop::View::Sweep);
    QTest::qWait(50);
    choose("sweepFirst", "k1");
    choose("sweepSecond", "cx_px");
    for (QSpinBox* points : window->sweepView().findChildren<QSpinBox*>()) points->setValue(values);
    ASSERT_TRUE(click(*window, "runSweep"));
  }
  template <class Field>
  Field* field(const char* name) {
    return window->findChild<Field*>(name);
  }
};

TEST_F(LensAndSweepTest, ASweepFindsTheValleyAndItsValueIsTakenAndGivenBack) {
  window->showView(desktop::View::Sweep);
  QTest::qWait(50);
  EXPECT_FALSE(field<QPushButton>("takeValue")->isEnabled()) << "nothing was swept yet";
  choose("sweepFirst", "focal_px");
  const double solved = session().model.solution()->lens().focal_px;
  EXPECT_LT(field<QDoubleSpinBox>("sweepFirstFrom")->value(), solved) << "a range about the solved value is offered";
  EXPECT_GT(field<QDoubleSpinBox>("sweepFirstTo")->value(), solved);
  ASSERT_TRUE(click(*window, "runSweep"));
  ASSERT_TRUE(waitForJobs(*window));
  const auto& sweep = session().jobs.swept();
  ASSERT_TRUE(sweep.result) << sweep.problem.toStdString();
  EXPECT_EQ(sweep.result->verdict, SweepVerdict::Clear);
  EXPECT_NEAR(sweep.result->best, solved, 3);
  EXPECT_TRUE(field<QLabel>("sweepSentence")->text().contains("Clear valley")) << field<QLabel>("sweepSentence")->text().toStdString();
  // Another value than the best one, by a click.
  auto& plot = window->sweepView().plot();
  const QPointF place = plot.placeOf({solved + 1, kUnknown});
  QTest::mouseClick(&plot, Qt::LeftButton, {}, place.toPoint());
  ASSERT_TRUE(plot.choice());
  EXPECT_NEAR(plot.choice()->value, solved + 1, 1);
  const double chosen = plot.choice()->value;
  ASSERT_TRUE(click(*window, "takeValue"));
  EXPECT_EQ(document().lens.focal, FocalKnowledge::Locked);
  EXPECT_NEAR(document().lens.focal_mm / document().lens.sensor_mm * 640, chosen, 1e-6);
  EXPECT_EQ(session().model.workspace().status(Step::Solve).state, StepState::Stale);
  session().model.undo();
  EXPECT_EQ(document().lens, LensSettings());
}

TEST_F(LensAndSweepTest, TwoScalarsMakeAMapAndBothAreTaken) {
  startMap(5);
  ASSERT_TRUE(waitForJobs(*window));
  const auto& sweep = session().jobs.swept();
  ASSERT_TRUE(sweep.result) << sweep.problem.toStdString();
  EXPECT_EQ(sweep.result->points.size(), 25u);
  ASSERT_TRUE(click(*window, "takeValue"));
  ASSERT_EQ(document().lens.values.size(), 2u);
  EXPECT_DOUBLE_EQ(document().lens.values.at("k1").value, sweep.result->best);
  EXPECT_DOUBLE_EQ(document().lens.values.at("cx_px").value, sweep.result->best_second);
  session().model.undo();
  EXPECT_TRUE(document().lens.values.empty()) << "one action";
}

TEST_F(LensAndSweepTest, ASweepIsCancelledAndSaysSo) {
  startMap(60);
  QTest::qWait(200);
  session().jobs.cancel();
  ASSERT_TRUE(waitForJobs(*window));
  EXPECT_FALSE(session().jobs.swept().result);
  EXPECT_FALSE(session().jobs.swept().problem.isEmpty());
  EXPECT_TRUE(session().model.solution()) << "the solve is still there";
}

TEST_F(LensAndSweepTest, AKnownValueIsSetHeldAndForgotten) {
  window->steps().openStep(Step::Solve);
  QTest::qWait(50);
  choose("knownName", "k2");
  field<QDoubleSpinBox>("knownValue")->setValue(0.015);
  field<QDoubleSpinBox>("knownSigma")->setValue(0);
  ASSERT_TRUE(click(*window, "more solve"));
  QTest::qWait(50);
  ASSERT_TRUE(click(*window, "knowValue"));
  EXPECT_EQ(document().lens.values.at("k2"), (KnownValue{0.015, 0}));
  session().jobs.carryOn();
  ASSERT_TRUE(waitForJobs(*window));
  EXPECT_EQ(session().model.solution()->lens().coefficients[1], 0.015);
  window->steps().openStep(Step::Solve);
  QTest::qWait(50);
  ASSERT_TRUE(click(*window, "forget k2"));
  QTest::qWait(50);
  EXPECT_TRUE(document().lens.values.empty());
  EXPECT_FALSE(field<QPushButton>("forget k2"));
}

TEST_F(LensAndSweepTest, TheLensViewGoesToFramesAndFollowsTheSolve) {
  window->showView(desktop::View::Lens);
  QTest::qWait(50);
  auto& view = window->lensView();
  ASSERT_TRUE(view.isVisible());
  session().playback.setFrame(1);
  QTest::mouseClick(&view, Qt::LeftButton, {}, QPoint(view.width() / 4, view.height() / 2));
  EXPECT_GT(session().playback.frame(), 4);
  EXPECT_LT(session().playback.frame(), 13);
  const QImage drawn = view.grab().toImage();
  const QColor curve(0xe9, 0xdf, 0xf2);
  int curve_px = 0;
  for (int x = 0; x < drawn.width(); ++x) {
    for (int y = 0; y < drawn.height(); ++y) curve_px += drawn.pixelColor(x, y) == curve;
  }
  EXPECT_GT(curve_px, 200) << "both curves are drawn";
}

TEST_F(LensAndSweepTest, WithoutDistortionThePlateShowsEverythingWhereAPinholeWould) {
  session().playback.setFrame(8);
  QTest::qWait(300);
  ASSERT_FALSE(window->plate().marks().empty());
  const desktop::PlateMark as_seen = window->plate().marks().front();
  QTest::keyClick(window.get(), Qt::Key_U);
  QTest::qWait(50);
  ASSERT_TRUE(window->plate().straight());
  const desktop::PlateMark straight = window->plate().marks().front();
  const Solution& solution = *session().model.solution();
  const Lens lens = solution.lensAt(*solution.frameAt(8));
  const auto n = lens.undistort({as_seen.measured.x(), as_seen.measured.y()});
  ASSERT_TRUE(n);
  EXPECT_NEAR(straight.measured.x(), lens.focal_px * n->x() + lens.cx_px, 1e-6);
  EXPECT_NEAR(straight.measured.y(), lens.focal_px * n->y() + lens.cy_px, 1e-6);
  session().view.setTool(desktop::ViewSettings::Tool::Hand);
  QTest::qWait(20);
  EXPECT_FALSE(window->plate().straight()) << "tracks are placed on the footage as it is";
}

TEST_F(LensAndSweepTest, FramesWithoutACameraGlowInTheErrorMap) {
  auto holes = std::make_shared<Solution>(*session().model.solution());
  for (std::size_t f = 5; f < 9; ++f) holes->frames[f].placed = false, holes->frames[f].why_not = "3 tracks there";
  window->showView(desktop::View::ErrorMap);
  QTest::qWait(50);
  auto& map = window->errorMap();
  const QImage before = map.grab().toImage();
  session().model.takeSolution(holes, session().model.workspace().solutionKeys());
  QTest::qWait(50);
  const QImage after = map.grab().toImage();
  const auto warmth = [&](const QImage& picture, int frame) {
    const QPointF cell = map.cellAt(0, frame);
    int sum = 0;
    for (int y = map.height() / 4; y < map.height() - 30; y += 3) sum += picture.pixelColor(static_cast<int>(cell.x()), y).red();
    return sum;
  };
  EXPECT_GT(warmth(after, 7), 1.2 * warmth(before, 7));
  EXPECT_LT(std::abs(warmth(after, 13) - warmth(before, 13)), 0.1 * warmth(before, 13));
  EXPECT_FALSE(session().model.verdict()->fine) << "and the verdict line says so";
}

TEST(StraightPicture, StraightensWhatALensBent) {
  Lens lens = Lens::simple(400, 300, 300);
  lens.k1() = -0.15;
  // A picture of upright bars, as the lens draws them.
  QImage bent(400, 300, QImage::Format_RGB32);
  for (int y = 0; y < 300; ++y) {
    for (int x = 0; x < 400; ++x) {
      const auto n = lens.undistort({x + 0.5, y + 0.5});
      const bool bar = n && static_cast<int>(std::floor(n->x() * 10 + 100)) % 2 == 0;
      bent.setPixel(x, y, bar ? qRgb(255, 255, 255) : qRgb(0, 0, 0));
    }
  }
  const QImage straight = desktop::straightPicture(bent, lens, {QPointF(0, 0), 1, 1}, QSize(400, 300));
  for (int x = 30; x < 370; x += 3) {
    const double n = (x + 0.5 - 200) / 300 * 10 + 100;
    if (std::abs(n - std::round(n)) < 0.15) continue;  // an edge
    for (const int y : {40, 150, 260}) EXPECT_EQ(qRed(straight.pixel(x, y)) > 128, static_cast<int>(std::floor(n)) % 2 == 0) << x << " " << y;
  }
}

TEST_F(LensAndSweepTest, AStraightLineBendsAsTheLensDoesAndBackspaceTakesItAway) {
  session().playback.setFrame(8);
  QTest::qWait(300);
  desktop::EdgeTool tool(session());
  const desktop::PlatePlace place{QPointF(0, 0), 1, 8};
  tool.press(place, {40, 20}, {});
  tool.release(place, {600, 24}, {});
  auto curves = tool.curves(8);
  ASSERT_EQ(curves.size(), 1u);
  const Lens lens = session().model.solution()->lens();
  const Vec2 a = *lens.undistort({40, 20}), b = *lens.undistort({600, 24});
  const Vec2 middle = lens.distort((a + b) / 2);
  EXPECT_LT((curves[0].places[24] - middle).norm(), 1e-9);
  EXPECT_GT(curves[0].sag_px, 0.5) << "near the rim this lens bends";
  session().view.showStraight(true);
  curves = tool.curves(8);
  const Vec2 chord = (curves[0].places.back() - curves[0].places.front()).normalized();
  for (const Vec2& p : curves[0].places) EXPECT_NEAR(chord.x() * (p - curves[0].places[0]).y() - chord.y() * (p - curves[0].places[0]).x(), 0, 1e-6);
  tool.press(place, {100, 100}, {});
  tool.release(place, {102, 100}, {});
  EXPECT_EQ(tool.curves(8).size(), 1u) << "a click is no line";
  EXPECT_TRUE(tool.curves(9).empty());
  tool.cancel();
  EXPECT_TRUE(tool.curves(8).empty());
  // And by mouse on the real Plate.
  session().view.showStraight(false);
  QTest::keyClick(window.get(), Qt::Key_B);
  EXPECT_EQ(session().view.tool(), desktop::ViewSettings::Tool::Edge);
  auto& plate = window->plate();
  QTest::mousePress(&plate, Qt::LeftButton, {}, QPoint(60, 60));
  QTest::mouseMove(&plate, QPoint(200, 70));
  QTest::mouseRelease(&plate, Qt::LeftButton, {}, QPoint(300, 80));
  EXPECT_TRUE(session().selection.empty());
  QTest::keyClick(window.get(), Qt::Key_Backspace);
  EXPECT_EQ(session().view.tool(), desktop::ViewSettings::Tool::Box);
}

}  // namespace dusky::testing

int main(int argc, char** argv) { return dusky::testing::runTests(argc, argv); }
