// The Dense step in a real window: made, cleaned up by rules, region and cuts, undone, meshed, delivered.
#include <QComboBox>
#include <QLabel>
#include <QPushButton>
#include <QSpinBox>

#include "apps/desktop/errormap/error_map.h"
#include "apps/desktop/plate/plate_view.h"
#include "apps/desktop/space/space_view.h"
#include "apps/desktop/steps/steps_panel.h"
#include "core/base/atomic_file.h"
#include "tests/apps/desktop/quay_window.h"
#include "tests/apps/desktop/run_tests.h"
#include "tests/support/temporary_folder.h"

namespace dusky::testing {

/// A solved project of the quay, opened anew for each test; it is solved once.
class DenseWindow : public ::testing::Test {
 protected:
  static void SetUpTestSuite() {
    solved = std::make_unique<TemporaryFolder>();
    Workspace shot;
    ASSERT_TRUE(shot.openFootage(quaySequence(16) + "/quay.0001.png").ok());
    const auto tracks = runTracks(shot.document(), {});
    ASSERT_TRUE(tracks.ok());
    const std::string key = tracksKey(shot.document(), shot.footage());
    shot.takeTracks(*tracks, key);
    const auto solution = runSolve(shot.document(), shot.footage(), *shot.tracks(), {});
    ASSERT_TRUE(solution.ok());
    shot.takeSolution(*solution, solveKeys(shot.document(), shot.footage(), key));
    ASSERT_TRUE(shot.saveAs(*solved / "quay.moth").ok());
    const auto job = shot.denseJob();
    ASSERT_TRUE(job.ok() && job->run({}).ok());
  }
  static void TearDownTestSuite() { solved.reset(); }
  void SetUp() override {
    std::filesystem::copy(*solved / "quay.moth", folder / "quay.moth");
    if (made()) std::filesystem::copy(*solved / "quay.dense", folder / "quay.dense", std::filesystem::copy_options::recursive);
    window = std::make_unique<desktop::MainWindow>();
    showWindow(*window);
    ASSERT_TRUE(openAndWait(*window, QString::fromStdString((folder / "quay.moth").string())));
    ASSERT_TRUE(session().model.solution());
    window->showView(desktop::View::Space);
    window->steps().openStep(Step::Dense);
    QTest::qWait(50);
  }
  void TearDown() override { window.reset(); }
  desktop::Session& session() { return window->session(); }
  const Document& document() { return session().model.document(); }
  /// Whether the dense points are there already.
  virtual bool made() const { return true; }
  void make() {
    if (!made()) {
      ASSERT_TRUE(click(*window, "makeDense"));
      ASSERT_TRUE(waitForJobs(*window));
    }
    ASSERT_TRUE(waitUntil([&] { return points() && points()->dense; }, 20000)) << session().jobs.state(Step::Dense).failure.toStdString();
  }
  const desktop::DenseStore::PointsPtr& points() { return session().dense.points(); }
  void settle() {
    ASSERT_TRUE(waitUntil([&] { return !session().dense.reading(); }, 20000));
  }
  std::size_t going(CleanReason reason) { return points()->counts[static_cast<std::size_t>(reason)]; }
  QString text(const char* name) { return window->findChild<QLabel*>(name)->text(); }
  std::size_t drawn() {
    window->space().repaint();
    QTest::qWait(60);
    return window->space().denseDrawn();
  }
  static std::unique_ptr<TemporaryFolder> solved;
  TemporaryFolder folder;
  std::unique_ptr<desktop::MainWindow> window;
};
std::unique_ptr<TemporaryFolder> DenseWindow::solved;

class UnmadeDenseWindow : public DenseWindow {
 protected:
  bool made() const override { return false; }
};

TEST_F(UnmadeDenseWindow, PointsAreMadeShownAndKeptWithTheProject) {
  ASSERT_TRUE(waitUntil([&] { return session().dense.forecast().keyframes > 0; }, 10000));
  EXPECT_TRUE(text("denseForecast").contains("keyframes of"));
  int parts = 0;
  QObject::connect(&session().jobs, &desktop::Jobs::densePart, window.get(), [&parts](const FusedViewPtr&) { ++parts; });
  make();
  EXPECT_EQ(parts, session().dense.forecast().keyframes) << "each depth map shows as it comes";
  EXPECT_GT(points()->kept.size(), 3000U);
  EXPECT_TRUE(text("denseResult").contains("points"));
  EXPECT_EQ(session().model.workspace().status(Step::Dense).state, StepState::Current);
  EXPECT_EQ(drawn(), points()->dense->cloud.points.size()) << "with what goes, which glows";
  // Opened again they are there.
  const std::size_t count = points()->kept.size();
  ASSERT_TRUE(openAndWait(*window, QString::fromStdString((folder / "quay.moth").string())));
  ASSERT_TRUE(waitUntil([&] { return points() && points()->dense; }, 20000));
  EXPECT_EQ(points()->kept.size(), count);
}

TEST_F(DenseWindow, RulesShowWhatTheyTakeAndUndoBringsItBack) {
  make();
  const std::size_t all = points()->kept.size();
  auto* views = window->findChild<QDoubleSpinBox*>("clean Views at least");
  ASSERT_TRUE(views);
  views->setValue(5);
  settle();
  EXPECT_GT(going(CleanReason::Views), 0U);
  EXPECT_LT(points()->kept.size(), all);
  EXPECT_EQ(points()->kept.size() + points()->going.size(), points()->dense->cloud.points.size());
  EXPECT_EQ(drawn(), points()->dense->cloud.points.size()) << "what goes glows";
  ASSERT_TRUE(click(*window, "showGoingDense"));
  EXPECT_EQ(drawn(), points()->kept.size());
  session().model.undo();
  settle();
  EXPECT_EQ(points()->kept.size(), all);
  auto* spacing = window->findChild<QDoubleSpinBox*>("denseSpacing");
  spacing->setValue(0.5);
  settle();
  EXPECT_LT(points()->kept.size(), all / 2);
}

TEST_F(DenseWindow, ALassoInSpaceCutsAndUndoBringsItBack) {
  make();
  const std::size_t all = points()->kept.size();
  window->space().frameAll();
  ASSERT_TRUE(click(*window, "cutDense"));
  const QPointF middle(window->space().width() / 2.0, window->space().height() / 2.0);
  std::vector<QPointF> ring;
  for (int k = 0; k <= 24; ++k) ring.push_back(middle + 90 * QPointF(std::cos(k * 0.2618), std::sin(k * 0.2618)));
  drag(window->space(), ring);
  settle();
  ASSERT_EQ(document().dense.clean.cuts.size(), 1U);
  EXPECT_GT(going(CleanReason::Cut), 50U);
  EXPECT_LT(going(CleanReason::Cut), all);
  EXPECT_EQ(session().view.tool(), desktop::ViewSettings::Tool::Box);
  session().model.undo();
  settle();
  EXPECT_EQ(points()->kept.size(), all);
  ASSERT_TRUE(click(*window, "keepDense"));
  drag(window->space(), ring);
  settle();
  EXPECT_EQ(document().dense.clean.cuts.size(), 1U);
  EXPECT_TRUE(document().dense.clean.cuts[0].keeps);
  EXPECT_LT(points()->kept.size(), all);
  EXPECT_GT(points()->kept.size(), 50U);
  ASSERT_TRUE(click(*window, "forgetCuts"));
  EXPECT_TRUE(document().dense.clean.cuts.empty());
}

TEST_F(DenseWindow, ABoxAndABrushCutTooAndTheBrushStaysInTheHand) {
  using Tool = desktop::ViewSettings::Tool;
  make();
  auto& space = window->space();
  space.frameAll();
  auto* shape = window->findChild<QComboBox*>("cutShape");
  ASSERT_TRUE(shape);
  const QPointF middle(space.width() / 2.0, space.height() / 2.0);
  shape->setCurrentIndex(1);
  ASSERT_TRUE(click(*window, "cutDense"));
  drag(space, {middle - QPointF(60, 60), middle, middle + QPointF(60, 60)});
  settle();
  ASSERT_EQ(document().dense.clean.cuts.size(), 1U);
  EXPECT_EQ(document().dense.clean.cuts[0].outline.size(), 5U) << "a closed box";
  const std::size_t by_box = going(CleanReason::Cut);
  EXPECT_GT(by_box, 50U);
  EXPECT_EQ(session().view.tool(), Tool::Box);
  shape->setCurrentIndex(2);
  ASSERT_TRUE(click(*window, "cutDense"));
  const double radius = session().view.brushRadius();
  QWheelEvent wheel(middle, space.mapToGlobal(middle), {}, QPoint(0, 240), Qt::NoButton, Qt::ShiftModifier, Qt::NoScrollPhase, false);
  QApplication::sendEvent(&space, &wheel);
  EXPECT_GT(session().view.brushRadius(), radius);
  drag(space, {middle + QPointF(-110, 60), middle + QPointF(0, 90), middle + QPointF(110, 60)});
  settle();
  QTest::mouseClick(&space, Qt::LeftButton, {}, (middle + QPointF(-90, -80)).toPoint());
  settle();
  EXPECT_EQ(session().view.tool(), Tool::DenseCut) << "one stroke after the other";
  EXPECT_GE(document().dense.clean.cuts.size(), 2U);
  EXPECT_GT(document().dense.clean.cuts[1].brush, 0);
  EXPECT_GT(going(CleanReason::Cut), by_box);
  window->setFocus();
  QTest::keyClick(window.get(), Qt::Key_Backspace);
  EXPECT_EQ(session().view.tool(), Tool::Box);
  while (!document().dense.clean.cuts.empty()) session().model.undo();
  settle();
  EXPECT_EQ(going(CleanReason::Cut), 0U);
}

TEST_F(DenseWindow, TheRegionIsDraggedByTheMiddlesOfItsFaces) {
  make();
  auto& space = window->space();
  DenseSettings settings = document().dense;
  RegionBox box{Vec3::Constant(1e9), Vec3::Constant(-1e9)};
  for (const auto& p : points()->kept) {
    const Vec3 at(static_cast<double>(p.x), static_cast<double>(p.y), static_cast<double>(p.z));
    box.low = box.low.cwiseMin(at), box.high = box.high.cwiseMax(at);
  }
  settings.clean.region = box;
  session().model.set("Region", &Document::dense, settings);
  settle();
  space.frameAll();
  QTest::qWait(50);
  const auto handle = space.regionHandlePlace(0, true), other = space.regionHandlePlace(0, false);
  ASSERT_TRUE(handle && other);
  drag(space, {*handle, *handle + 0.2 * (*other - *handle), *handle + 0.4 * (*other - *handle)});
  settle();
  const RegionBox now = *document().dense.clean.region;
  EXPECT_LT(now.high.x(), box.high.x() - 0.2 * (box.high.x() - box.low.x()));
  EXPECT_EQ(now.low, box.low);
  EXPECT_EQ(now.high.y(), box.high.y());
  EXPECT_GT(going(CleanReason::Region), 0U);
  session().model.undo();
  EXPECT_EQ(document().dense.clean.region->high, box.high) << "one drag is one step";
}

TEST_F(DenseWindow, KeyframesAreAddedLeftOutMovedAndChosenAnew) {
  make();
  const std::vector<int> chosen = session().dense.plannedKeyframes();
  ASSERT_GT(chosen.size(), 4U);
  session().playback.setFrame(chosen[2]);
  EXPECT_EQ(window->findChild<QPushButton*>("toggleKeyframe")->text(), QString("Leave out frame %1").arg(chosen[2]));
  ASSERT_TRUE(click(*window, "toggleKeyframe"));
  std::vector<int> fewer = chosen;
  fewer.erase(fewer.begin() + 2);
  EXPECT_EQ(document().dense.keyframes, fewer);
  EXPECT_NE(session().model.workspace().status(Step::Dense).state, StepState::Current) << "they are to be made";
  ASSERT_TRUE(waitUntil([&] { return session().dense.forecast().keyframes == static_cast<int>(fewer.size()); }, 10000));
  ASSERT_TRUE(click(*window, "makeDense"));
  ASSERT_TRUE(waitForJobs(*window));
  ASSERT_TRUE(waitUntil([&] { return points() && points()->dense && points()->dense->frames.size() == fewer.size(); }, 20000));
  EXPECT_LT(points()->dense->maps_made, static_cast<int>(fewer.size())) << "maps that stand are taken";
  ASSERT_TRUE(click(*window, "toggleKeyframe"));
  EXPECT_EQ(document().dense.keyframes, chosen);
  // Dragged below the error map.
  auto& map = window->errorMap();
  QTest::qWait(50);
  const int free = chosen[2] + 1;
  if (!std::binary_search(chosen.begin(), chosen.end(), free)) {
    drag(map, {map.keyPlace(chosen[2]), map.keyPlace(free)});
    EXPECT_TRUE(std::binary_search(document().dense.keyframes.begin(), document().dense.keyframes.end(), free));
    EXPECT_FALSE(std::binary_search(document().dense.keyframes.begin(), document().dense.keyframes.end(), chosen[2]));
  }
  ASSERT_TRUE(click(*window, "automaticKeyframes"));
  EXPECT_TRUE(document().dense.keyframes.empty());
  session().model.undo();
  EXPECT_FALSE(document().dense.keyframes.empty());
}

TEST_F(DenseWindow, DensePointsAreMeasuredByClicks) {
  make();
  window->space().frameAll();
  settle();
  ASSERT_TRUE(click(*window, "measureDense"));
  EXPECT_EQ(session().view.tool(), desktop::ViewSettings::Tool::DenseMeasure);
  auto& space = window->space();
  for (int y = space.height() / 4; y < space.height() && session().dense.picked().size() < 4; y += 14) {
    for (int x = space.width() / 4; x < 3 * space.width() / 4 && session().dense.picked().size() < 4; x += 60)
      QTest::mouseClick(&space, Qt::LeftButton, {}, QPoint(x, y));
  }
  const std::vector<Vec3> picked = session().dense.picked();
  ASSERT_EQ(picked.size(), 4U);
  for (const Vec3& at : picked) {
    const auto is = [&](const auto& p) { return std::abs(static_cast<double>(p.x) - at.x()) + std::abs(static_cast<double>(p.y) - at.y()) < 1e-5; };
    EXPECT_TRUE(std::any_of(points()->kept.begin(), points()->kept.end(), is));
  }
  const QString text = window->findChild<QLabel*>("measuredText")->text();
  EXPECT_TRUE(text.contains("3 to 4:")) << text.toStdString();
  EXPECT_TRUE(text.contains("RMS")) << text.toStdString();
  ASSERT_TRUE(click(*window, "forgetMeasured"));
  EXPECT_TRUE(session().dense.picked().empty());
  EXPECT_EQ(session().view.tool(), desktop::ViewSettings::Tool::Box);
}

TEST_F(DenseWindow, ABoxOnThePlateMakesTheRegion) {
  make();
  ASSERT_TRUE(click(*window, "drawDenseRegion"));
  auto& plate = window->plate();
  const auto& info = session().model.workspace().footage();
  drag(plate, {plate.toWidget(QPointF(0.3 * info.width, 0.4 * info.height)), plate.toWidget(QPointF(0.7 * info.width, 0.9 * info.height))});
  settle();
  ASSERT_TRUE(document().dense.clean.region);
  EXPECT_GT(going(CleanReason::Region), 0U);
  EXPECT_GT(points()->kept.size(), 100U);
  const RegionBox box = *document().dense.clean.region;
  const RegionBox round{box.low - Vec3::Constant(1e-3), box.high + Vec3::Constant(1e-3)};
  for (const auto& p : points()->kept) ASSERT_TRUE(round.holds(Vec3(static_cast<double>(p.x), static_cast<double>(p.y), static_cast<double>(p.z))));
  auto* low = window->findChild<QDoubleSpinBox*>("region low 0");
  ASSERT_TRUE(low && low->isVisible());
  const std::size_t before = points()->kept.size();
  low->setValue((box.low.x() + box.high.x()) / 2);
  settle();
  EXPECT_LT(points()->kept.size(), before);
  ASSERT_TRUE(click(*window, "noDenseRegion"));
  EXPECT_FALSE(document().dense.clean.region);
}

TEST_F(DenseWindow, AMeshIsMadeShownAndUsedInTheScene) {
  make();
  ASSERT_TRUE(click(*window, "makeSurface"));
  ASSERT_TRUE(waitForJobs(*window));
  ASSERT_TRUE(session().dense.surface()) << session().jobs.state(Step::Dense).failure.toStdString();
  EXPECT_TRUE(session().dense.surfaceIsCurrent());
  EXPECT_EQ(session().view.denseShown(), desktop::ViewSettings::DenseShown::Mesh);
  EXPECT_TRUE(text("surfaceText").contains("triangles"));
  window->findChild<QDoubleSpinBox*>("clean Views at least")->setValue(4);
  settle();
  EXPECT_FALSE(session().dense.surfaceIsCurrent());
  EXPECT_TRUE(text("surfaceText").contains("changed"));
  ASSERT_TRUE(click(*window, "useSurface"));
  ASSERT_TRUE(waitForJobs(*window));
  ASSERT_TRUE(waitUntil([&] { return session().mesh.mesh().surface != nullptr; }, 20000)) << session().mesh.problem().toStdString();
  EXPECT_EQ(session().mesh.mesh().surface->mesh().triangles.size(), session().dense.surface()->mesh.triangles.size());
  EXPECT_EQ(document().mesh.path, (folder / "quay-mesh.ply").string());
  session().model.undo();
  EXPECT_TRUE(document().mesh.path.empty());
}

TEST_F(DenseWindow, DepthMapsLieOverKeyframes) {
  make();
  ASSERT_TRUE(click(*window, "showDepths"));
  const std::vector<int> keys = session().dense.keyframes();
  ASSERT_GE(keys.size(), 3U);
  session().playback.setFrame(keys[1]);
  ASSERT_TRUE(waitUntil([&] { return !session().dense.depthPicture(keys[1]).isNull(); }, 10000));
  const QImage depths = session().dense.depthPicture(keys[1]);
  int shown = 0;
  for (int y = 0; y < depths.height(); ++y)
    for (int x = 0; x < depths.width(); ++x) shown += qAlpha(depths.pixel(x, y)) > 0;
  EXPECT_GT(shown, depths.width() * depths.height() / 2);
}

TEST_F(UnmadeDenseWindow, WhereTheyCannotBeKeptTheyAreShownAndThatIsSaid) {
  ASSERT_TRUE(writeFileAtomically(folder / "quay.dense", "no folder").ok());
  make();
  EXPECT_GT(points()->kept.size(), 3000U);
  EXPECT_TRUE(text("denseResult").contains("not kept")) << text("denseResult").toStdString();
  ASSERT_TRUE(click(*window, "makeSurface"));
  ASSERT_TRUE(waitForJobs(*window));
  EXPECT_TRUE(session().dense.surface());
}

TEST_F(UnmadeDenseWindow, StoppedItGoesOnFromThere) {
  ASSERT_TRUE(click(*window, "makeDense"));
  ASSERT_TRUE(waitUntil([&] { return session().jobs.state(Step::Dense).fraction > 0.25; }, 30000));
  session().jobs.cancel(Step::Dense);
  ASSERT_TRUE(waitForJobs(*window));
  EXPECT_EQ(session().model.workspace().status(Step::Dense).state, StepState::NotRun);
  int kept = 0;
  for (const auto& entry : std::filesystem::recursive_directory_iterator(folder / "quay.dense")) kept += entry.path().extension() == ".map";
  EXPECT_GT(kept, 0);
  make();
  EXPECT_LT(points()->dense->maps_made, static_cast<int>(points()->dense->frames.size()));
}

}  // namespace dusky::testing

int main(int argc, char** argv) { return dusky::testing::runTests(argc, argv); }
