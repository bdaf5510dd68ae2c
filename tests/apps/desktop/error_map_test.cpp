// The error map under Xvfb: one bad sighting among thousands is seen and found by a click, rows stand as they are asked to, margins are brushes, and a
// peak of a curve has its worst tracks.
#include <gtest/gtest.h>

#include <QAction>
#include <QApplication>
#include <QPushButton>
#include <random>

#include "apps/desktop/closeup/closeup_view.h"
#include "apps/desktop/errormap/error_map.h"
#include "apps/desktop/errormap/margin_brushes.h"
#include "apps/desktop/paint/track_state.h"
#include "apps/desktop/paint/track_text.h"
#include "apps/desktop/steps/steps_panel.h"
#include "core/mask/mask_keys.h"
#include "core/project/edits.h"
#include "tests/apps/desktop/quay_window.h"
#include "tests/apps/desktop/run_tests.h"

namespace dusky::testing {

using desktop::CurveSet;
using desktop::ErrorGrid;
using desktop::FrameCurve;
using desktop::MapAxis;
using desktop::RowGrouping;
using desktop::RowOrder;

TEST(ErrorGridTest, LevelsTellErrorsAFewPerCentApart) {
  for (double error_px : {0.01, 0.1, 0.5, 3.0, 150.0}) EXPECT_NEAR(ErrorGrid::errorOf(ErrorGrid::levelOf(error_px)), error_px, 0.03 * error_px);
  EXPECT_EQ(ErrorGrid::levelOf(1e9), 255);
  EXPECT_EQ(ErrorGrid::levelOf(0), ErrorGrid::kLeast);
  EXPECT_EQ(ErrorGrid::levelOf(kUnknown), ErrorGrid::kLeast) << "seen all the same";
}

TEST(ErrorGridTest, DifferencesKeepTheirSignAndTheLargestIsSeen) {
  for (double more_px : {-40.0, -0.7, -0.05, 0.05, 0.7, 40.0}) {
    EXPECT_NEAR(ErrorGrid::differenceOf(ErrorGrid::levelOfDifference(more_px)), more_px, 0.09 * std::abs(more_px));
  }
  EXPECT_GT(ErrorGrid::levelOfDifference(-0.7), ErrorGrid::levelOfDifference(0.3)) << "the farther apart, whichever way";
  EXPECT_GT(ErrorGrid::levelOfDifference(0.9), ErrorGrid::levelOfDifference(-0.7));
  EXPECT_EQ(ErrorGrid::differenceOf(ErrorGrid::levelOfDifference(0)), 0);
}

TEST(ErrorGridTest, OneBadCellAmongMillionsIsSeenAndFound) {
  ErrorGrid grid(3000, 1000);
  for (int r = 0; r < 3000; ++r) std::fill_n(grid.row(r), 1000, ErrorGrid::levelOf(0.1));
  grid.row(1777)[613] = ErrorGrid::levelOf(40);
  const ErrorGrid::Part whole{0, 3000, 0, 1000};
  const auto picture = grid.binned(whole, 320, 90);
  EXPECT_EQ(std::count(picture.begin(), picture.end(), ErrorGrid::levelOf(40)), 1);
  const auto at = std::max_element(picture.begin(), picture.end()) - picture.begin();
  const ErrorGrid::Cell cell = grid.largestUnder(whole, 320, 90, static_cast<int>(at % 320), static_cast<int>(at / 320));
  EXPECT_EQ(cell.row, 1777);
  EXPECT_EQ(cell.column, 613);
  // Of a row that was dealt with nothing glows.
  grid.setLook(1777, ErrorGrid::Look::Quiet);
  const auto calm = grid.binned(whole, 320, 90);
  EXPECT_EQ(*std::max_element(calm.begin(), calm.end()), ErrorGrid::levelOf(0.1));
}

// What is seen is what a slow and simple way of doing it gives: nearest where enlarged, the largest where many share a pixel.
TEST(ErrorGridTest, AnyPartAtAnySizeIsTheLargestOfWhatLiesThere) {
  std::mt19937 random(3);
  const auto below = [&](int n) { return static_cast<int>(random() % static_cast<unsigned>(n)); };
  ErrorGrid grid(60, 40);
  for (int r = 0; r < 60; ++r) {
    for (int c = 0; c < 40; ++c) grid.row(r)[c] = static_cast<ErrorGrid::Level>(below(256));
  }
  for (int trial = 0; trial < 200; ++trial) {
    const ErrorGrid::Part part{below(50) / 2.0, 1 + below(70) / 1.5, below(60) / 2.0 - 10, 1 + below(60) / 1.5};
    const int width = 1 + below(90), height = 1 + below(90);
    const auto picture = grid.binned(part, width, height);
    for (int check = 0; check < 30; ++check) {
      const int x = below(width), y = below(height);
      const double row = part.first_row + part.rows * (y + 0.5) / height, column = part.first_column + part.columns * (x + 0.5) / width;
      if (std::abs(row - std::round(row)) < 1e-9 || std::abs(column - std::round(column)) < 1e-9) continue;  // a pixel's middle on an edge
      const ErrorGrid::Level seen = picture[static_cast<std::size_t>(y * width + x)];
      // Whatever is under the middle of a pixel, no less is seen, where its cells are not larger than it by far.
      if (row >= 0 && row < 60 && column >= 0 && column < 40 && part.rows < height && part.columns < width)
        EXPECT_EQ(seen, grid.row(static_cast<int>(row))[static_cast<int>(column)]);
      const double half = part.columns / width / 2;
      if (column + half < 0 || column - half >= 40 || row - part.rows / height / 2 >= 60) EXPECT_EQ(seen, ErrorGrid::kNone);
    }
  }
  // Nothing is lost: every pixel row and column together hold the largest of all.
  const auto all = grid.binned({0, 60, 0, 40}, 7, 5);
  int most = 0;
  for (int r = 0; r < 60; ++r) most = std::max<int>(most, *std::max_element(grid.row(r), grid.row(r) + 40));
  EXPECT_EQ(*std::max_element(all.begin(), all.end()), most);
}

TEST(MapAxisTest, EnlargesAboutThePointerAndStaysInside) {
  MapAxis axis;
  axis.setLargest(16);
  axis.setCount(1000, 200);
  EXPECT_TRUE(axis.all());
  EXPECT_DOUBLE_EQ(axis.shown(), 1000);
  const double under = axis.indexAt(50);
  axis.zoom(4, 50);
  EXPECT_NEAR(axis.indexAt(50), under, 1e-9);
  EXPECT_FALSE(axis.all());
  axis.scrollTo(1e6);
  EXPECT_NEAR(axis.first() + axis.shown(), 1000, 1e-9);
  axis.reveal(3);
  EXPECT_LE(axis.first(), 3);
  EXPECT_GE(axis.first() + axis.shown(), 4);
  for (int i = 0; i < 40; ++i) axis.zoom(2, 100);
  EXPECT_NEAR(axis.size_px(), 16, 1e-9) << "no larger";
  for (int i = 0; i < 40; ++i) axis.zoom(0.5, 100);
  EXPECT_TRUE(axis.all());
  axis.setCount(4, 200);
  EXPECT_NEAR(axis.size_px(), 16, 1e-9) << "few rows stay rows";
}

TEST(CurveSetTest, BendsItsScaleWhereFewStandFarOut) {
  CurveSet set{.main = {}, .second = {}, .top = 50, .bend = 0.5};
  EXPECT_DOUBLE_EQ(set.heightOf(0), 0);
  EXPECT_DOUBLE_EQ(set.heightOf(50), 1);
  EXPECT_GT(set.heightOf(1), 0.15) << "what is usual is still told apart";
  set.bend = 0;
  EXPECT_DOUBLE_EQ(set.heightOf(1), 0.02);
}

class ErrorMapTest : public QuayWindow {
 protected:
  void SetUp() override {
    QuayWindow::SetUp();
    if (HasFatalFailure()) return;
    solve();
    window->showView(desktop::View::ErrorMap);
    ASSERT_TRUE(waitUntil([this] { return session().facts.current() && !session().facts.now()->tracks.empty(); }, 20000));
  }
  desktop::ErrorMap& map() { return window->errorMap(); }
  const SolvedTrack& solved(int row) { return *session().model.solution()->find(map().trackAt(row)); }
  int keptRows() { return map().groups().front().count; }
};

TEST_F(ErrorMapTest, ShowsTheWholeShotAndEnlargesBothWays) {
  ASSERT_GT(map().rowCount(), 300) << "more rows than pixels";
  EXPECT_TRUE(map().showsAll());
  const QPointF middle = map().cellAt(map().rowCount() / 2, 8);
  turnWheel(map(), middle, 12, Qt::ControlModifier);
  turnWheel(map(), middle, 4, Qt::ShiftModifier);
  EXPECT_FALSE(map().showsAll());
  EXPECT_NEAR(map().cellAt(map().rowCount() / 2, 8).y(), middle.y(), 12) << "what was under the pointer stays there";
  EXPECT_GT(map().cellAt(1, 1).y() - map().cellAt(0, 1).y(), 3);
  EXPECT_GT(map().cellAt(0, 9).x() - map().cellAt(0, 8).x(), 1.5 * map().cells().width() / 16);
  // Now a click is one row and one frame.
  const int row = map().rowCount() / 2;
  QTest::mouseClick(&map(), Qt::LeftButton, {}, map().cellAt(row, 8).toPoint());
  EXPECT_EQ(session().selection.ids(), std::vector<int>{map().trackAt(row)});
  EXPECT_EQ(session().playback.frame(), 8);
  // The playhead is followed.
  session().playback.setFrame(16);
  EXPECT_LT(map().cellAt(row, 16).x(), map().width());
  const double before = map().cellAt(row, 16).y();
  turnWheel(map(), middle, -1);
  EXPECT_LT(map().cellAt(row, 16).y(), before);
  session().selection.clear();
  QTest::mouseDClick(&map(), Qt::LeftButton, {}, middle.toPoint());
  EXPECT_TRUE(map().showsAll());
}

// The whole shot in few pixels: a click on what glows picks just that track, in just that frame.
TEST_F(ErrorMapTest, TheWorstSightingOfAllCanBeClicked) {
  auto worse = std::make_shared<Solution>(*session().model.solution());
  SolvedTrack* victim = nullptr;
  for (SolvedTrack& track : worse->tracks) {
    if (track.state == TrackState::Kept && track.errors.size() == 16 && track.errors[6].used) victim = &track;
  }
  ASSERT_TRUE(victim);
  victim->errors[6].error_px = 30;
  session().model.takeSolution(worse, session().model.workspace().solutionKeys());
  map().setOrder(RowOrder::Life);
  const QImage& cells = map().cells();
  QPoint brightest;
  for (int y = 0; y < cells.height(); ++y) {
    for (int x = 0; x < cells.width(); ++x) {
      if (qGray(cells.pixel(x, y)) > qGray(cells.pixel(brightest))) brightest = {x, y};
    }
  }
  const QPoint place = brightest + QPoint(static_cast<int>(map().cellAt(0, 1).x() - cells.width() / 32.0 + 0.5), 2);
  QTest::mouseClick(&map(), Qt::LeftButton, {}, place);
  EXPECT_EQ(session().selection.ids(), std::vector<int>{victim->id});
  EXPECT_EQ(session().playback.frame(), victim->errors[6].frame);
}

TEST_F(ErrorMapTest, RowsStandInTheOrderAndGroupsAsked) {
  const auto facts = session().facts.now();
  const auto measure = [&](int row) { return facts->find(map().trackAt(row)); };
  map().setOrder(RowOrder::Parallax);
  for (int row = 1; row < 30; ++row) EXPECT_LE(measure(row - 1)->parallax_deg, measure(row)->parallax_deg);
  map().setOrder(RowOrder::DepthSigma);
  for (int row = 1; row < 30; ++row) EXPECT_GE(measure(row - 1)->depth_sigma_pc, measure(row)->depth_sigma_pc);
  map().setOrder(RowOrder::Shared);
  for (int row = 1; row < 30; ++row) EXPECT_GE(measure(row - 1)->shared_px, measure(row)->shared_px);
  map().setOrder(RowOrder::Worst);
  map().setGrouping(RowGrouping::Region);
  ASSERT_GT(map().groups().size(), 4u);
  int count = 0;
  for (const desktop::RowGroup& group : map().groups()) {
    EXPECT_EQ(group.first, count);
    count += group.count;
    const Track& track = *session().model.tracks()->find(map().trackAt(group.first));
    const Vec2& at = track.observations[track.observations.size() / 2].position;
    if (group.name.contains("left")) EXPECT_LT(at.x(), 640 / 3.0);
    if (group.name.contains("bottom")) EXPECT_GT(at.y(), 2 * 360 / 3.0);
  }
  EXPECT_EQ(count, map().rowCount());
  // Its name selects a group.
  const desktop::RowGroup& last = map().groups().back();
  QTest::mouseClick(&map(), Qt::LeftButton, {}, QPoint(20, static_cast<int>(map().cellAt(last.first + last.count / 2, 1).y())));
  EXPECT_EQ(static_cast<int>(session().selection.ids().size()), last.count);
  // A group written by hand.
  const std::vector<int> some = {map().trackAt(3), map().trackAt(9)};
  session().model.run(groupTracks(document(), some, "crate", session().model.workspace().followedKey()));
  map().setGrouping(RowGrouping::Label);
  EXPECT_EQ(map().groups().front().name, "crate");
  EXPECT_EQ(map().groups().front().count, 2);
  session().model.undo();
  EXPECT_EQ(map().groups().size(), 1u);
  // A mask takes what lies in it.
  Mask box = newMask(document(), MaskShape::Box);
  box.keys = {{.frame = 1, .position = Vec2(160, 180), .points = {Vec2(160, 180)}}};
  session().model.run(changeMask("Draw mask", document(), box));
  map().setGrouping(RowGrouping::Mask);
  ASSERT_EQ(map().groups().size(), 2u);
  EXPECT_EQ(map().groups().front().name.toStdString(), document().masks.shapes[0].name);
}

TEST_F(ErrorMapTest, MarginsAreBrushes) {
  desktop::MarginBrushes& margins = map().margins();
  window->fillWith(desktop::ViewPlace::Below);
  QTest::qWait(50);
  ASSERT_EQ(margins.shown(), desktop::MarginBrushes::count()) << "in a window of its own all are shown";
  std::vector<double> worst;
  for (int row = 0; row < keptRows(); ++row) worst.push_back(solved(row).worst_error_px);
  std::sort(worst.begin(), worst.end());
  const double limit = worst[worst.size() * 9 / 10];
  // While it is dragged, what would go is seen, and nothing is changed.
  QTest::mousePress(&margins, Qt::LeftButton, {}, margins.placeOf(1, limit).toPoint());
  EXPECT_TRUE(waitUntil([&] { return !session().prune.choice().tracks.empty(); }, 10000));
  EXPECT_FALSE(document().prune.any());
  const int going = session().prune.choice().tracks.front();
  EXPECT_EQ(desktop::glyphNow(session().model, going, session().model.solution()->find(going)), desktop::Glyph::Going);
  QTest::mouseRelease(&margins, Qt::LeftButton, {}, margins.placeOf(1, limit).toPoint());
  EXPECT_NEAR(document().prune.max_worst_px, limit, 0.1 * limit);
  EXPECT_TRUE(waitUntil([&] { return session().prune.prediction().has_value(); }, 20000)) << "the Prune step is open and says what it would do";
  EXPECT_TRUE(document().picks.set_aside.empty());
  for (const int id : session().prune.choice().tracks) EXPECT_GT(session().model.solution()->find(id)->worst_error_px, document().prune.max_worst_px);
  // A second one beside it; the other way round: what is short goes.
  drag(margins, {margins.placeOf(2, 3), margins.placeOf(2, 5), margins.placeOf(2, 6)});
  EXPECT_NEAR(document().prune.min_life, 6, 1);
  EXPECT_GT(document().prune.max_worst_px, 0) << "both hold";
  // Out on the side where all stay, or a double click: off.
  drag(margins, {margins.placeOf(2, 6), QPointF(-5, margins.placeOf(2, 6).y())});
  EXPECT_EQ(document().prune.min_life, 0);
  QTest::mouseDClick(&margins, Qt::LeftButton, {}, margins.placeOf(1, limit).toPoint());
  EXPECT_EQ(document().prune.max_worst_px, 0);
  EXPECT_TRUE(waitUntil([&] { return session().prune.choice().tracks.empty(); }, 10000));
  while (session().model.workspace().undoStack().canUndo()) session().model.undo();
  EXPECT_FALSE(document().prune.any());
}

TEST_F(ErrorMapTest, APeakHasItsWorstTracks) {
  map().setCurve(FrameCurve::Worst);
  const auto& figures = session().facts.now()->frames;
  const auto peak = std::max_element(figures.begin(), figures.end(), [](const FrameFigures& a, const FrameFigures& b) { return a.worst_px < b.worst_px; });
  const auto place = map().curveAt(peak->frame);
  ASSERT_TRUE(place);
  for (const FrameFigures& f : figures) EXPECT_GE(map().curveAt(f.frame)->y(), place->y() - 1e-9) << "nothing is higher";
  QTest::mouseClick(&map(), Qt::LeftButton, {}, place->toPoint());
  EXPECT_EQ(session().playback.frame(), peak->frame);
  ASSERT_FALSE(session().selection.empty());
  const TrackError* worst = errorAt(*session().model.solution()->find(session().selection.ids().front()), peak->frame);
  EXPECT_DOUBLE_EQ(worst->error_px, peak->worst_px);
  // Beside the curve a click only goes there.
  const auto picked = session().selection.ids();
  QTest::mouseClick(&map(), Qt::LeftButton, {}, QPoint(static_cast<int>(map().curveAt(3)->x()), map().height() - 5));
  EXPECT_EQ(session().playback.frame(), 3);
  EXPECT_EQ(session().selection.ids(), picked);
  // The names beside it choose the curve.
  for (int y = map().height() - 60; y < map().height() - 3; y += 4) {
    QTest::mouseClick(&map(), Qt::LeftButton, {}, QPoint(map().width() - 40, y));
    if (map().curve() == FrameCurve::Kept) break;
  }
  EXPECT_EQ(map().curve(), FrameCurve::Kept);
  EXPECT_EQ(desktop::valueOf(session(), FrameCurve::Kept, 3), QString::number(session().model.solution()->frameAt(3)->tracks));
}

TEST_F(ErrorMapTest, OneKeyGoesFromTheWorstTrackToTheNext) {
  QApplication::setActiveWindow(window.get());
  window->setFocus();
  double before = 1e9;
  for (int i = 0; i < 5; ++i) {
    QTest::keyClick(window.get(), Qt::Key_W);
    ASSERT_EQ(session().selection.ids().size(), 1u);
    const SolvedTrack& track = *session().model.solution()->find(session().selection.ids().front());
    EXPECT_EQ(track.id, map().trackAt(i)) << "the map's rows from the top";
    EXPECT_LE(track.worst_error_px, before);
    EXPECT_EQ(session().playback.frame(), track.worst_frame);
    before = track.worst_error_px;
  }
  QTest::keyClick(window.get(), Qt::Key_W, Qt::ShiftModifier);
  EXPECT_EQ(session().selection.ids().front(), map().trackAt(3));
  // What is set aside on the way is stepped over.
  const int dealt = session().selection.ids().front(), next = map().trackAt(4);
  session().model.run(setAside(document(), {dealt}));
  QTest::keyClick(window.get(), Qt::Key_W);
  EXPECT_EQ(session().selection.ids().front(), next);
}

TEST_F(ErrorMapTest, TheCloseUpTellsATracksLifeAndFollowsThePointer) {
  window->showView(desktop::View::Closeup);
  window->fillWith(desktop::ViewPlace::Right);
  const SolvedTrack* longest = &session().model.solution()->tracks.front();
  for (const SolvedTrack& track : session().model.solution()->tracks) {
    if (track.state == TrackState::Kept && track.life > longest->life) longest = &track;
  }
  const Track& track = *session().model.tracks()->find(longest->id);
  session().selection.pick({longest->id}, desktop::Selection::Mode::Replace);
  QTest::qWait(50);
  desktop::CloseupView& view = window->closeup();
  const std::vector<int> frames = view.strip();
  ASSERT_GE(frames.size(), 6u);
  EXPECT_EQ(frames.front(), track.firstFrame());
  EXPECT_EQ(frames.back(), track.lastFrame());
  EXPECT_TRUE(std::find(frames.begin(), frames.end(), longest->worst_frame) != frames.end());
  QTest::mouseClick(&view, Qt::LeftButton, {}, view.pieceBox(2).center());
  EXPECT_EQ(session().playback.frame(), frames[2]);
  const QStringList card = desktop::trackCard(session(), longest->id);
  EXPECT_TRUE(card[0].startsWith("kept · typical 0.")) << card[0].toStdString();
  EXPECT_TRUE(card[1].startsWith(QString("frames %1–%2").arg(track.firstFrame()).arg(track.lastFrame())));
  EXPECT_TRUE(card[2].contains("before")) << "why it begins and ends";
  EXPECT_TRUE(card[3].contains("parallax") && card[3].contains("depth")) << card[3].toStdString();
  // What is pointed at in another view comes first, in the frame that is pointed at; then the selected one again.
  const int other = map().trackAt(2);
  session().selection.hover(other, 3);
  EXPECT_EQ(view.track(), other);
  EXPECT_EQ(view.frame(), 3);
  session().selection.hover(0);
  EXPECT_EQ(view.track(), longest->id);
  EXPECT_EQ(view.frame(), frames[2]);
}

TEST_F(ErrorMapTest, ExplainedSharesAndFewFramesAreCounted) {
  const Solution& solution = *session().model.solution();
  const auto figures = frameFigures(solution);
  ASSERT_EQ(figures.size(), solution.frames.size());
  for (const FrameFigures& f : figures) {
    int seen = 0, used = 0;
    for (const SolvedTrack& track : solution.tracks) {
      const TrackError* e = errorAt(track, f.frame);
      if (!e) continue;
      ++seen;
      used += e->used && track.state == TrackState::Kept;
    }
    EXPECT_DOUBLE_EQ(f.explained_share, static_cast<double>(used) / seen) << f.frame;
  }
  EXPECT_TRUE(worstTracksIn(solution, 999, 5).empty());
  EXPECT_EQ(worstTracksIn(solution, 5, 3).size(), 3u);
}

}  // namespace dusky::testing

int main(int argc, char** argv) { return dusky::testing::runTests(argc, argv); }
