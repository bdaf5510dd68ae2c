#include <QDir>

#include "apps/desktop/space/space_view.h"
#include "apps/desktop/steps/steps_panel.h"
#include "tests/apps/desktop/screenshot_stage.h"

namespace dusky::testing {

void shootScene(desktop::MainWindow& window) {
  desktop::Session& s = window.session();
  setScene(window);
  window.steps().openStep(Step::Scene);
  s.view.showGrid(true);
  s.selection.pick(tracksNear(window, {{520, 500}, {700, 420}, {880, 560}, {300, 470}}), desktop::Selection::Mode::Replace);
  s.objects.choose(2);
  window.space().setMode(desktop::Eye::Mode::Front);
  window.space().frameAll();
  shoot(window, "scene");
  s.view.showGrid(false);
  s.objects.choose(0);
  window.space().setMode(desktop::Eye::Mode::Orbit);
}

void shootMesh(desktop::MainWindow& window, const char* picks) {
  desktop::Session& s = window.session();
  window.steps().openStep(Step::Scene);
  goTo(window, 74);
  s.selection.pick(tracksNear(window, {{520, 500}, {700, 420}, {880, 560}, {300, 470}}), desktop::Selection::Mode::Replace);
  s.view.showHandles(true);
  if (auto* moved = window.findChild<QWidget*>("moveScale")) window.steps().ensureWidgetVisible(moved, 0, 60);
  shoot(window, "handles");
  s.view.showHandles(false);
  s.selection.clear();
  window.useKnowledgeFile(picks);
  window.useMesh(QStringLiteral(DUSKY_DEMO_DATA "/ferry-landing-set.obj"));
  waitUntil([&] { return s.mesh.mesh().surface != nullptr; }, 20000);
  s.jobs.layOnMesh(s.mesh.mesh().surface, false);
  waitForJobs(window);
  window.space().frameAll();
  if (auto* lay = window.findChild<QWidget*>("layOnMesh")) window.steps().ensureWidgetVisible(lay, 0, 60);
  shoot(window, "mesh");
  s.view.setMeshStyle(desktop::ViewSettings::MeshStyle::Solid);
  shoot(window, "mesh-solid");
}

void shootDeliver(desktop::MainWindow& window) {
  desktop::Session& s = window.session();
  window.space().setMode(desktop::Eye::Mode::Camera);
  s.view.setPointColor(desktop::ViewSettings::PointColor::Picture);
  DeliverySettings delivery = s.model.document().delivery;
  delivery.folder = (QDir::tempPath() + "/ferry-landing-delivery").toStdString();
  delivery.choices.what = {"camera.glb", "camera.usda", "points.ply", "st-maps", "plates", "report.json"};
  s.model.set("Change delivery", &Document::delivery, delivery);
  window.steps().openStep(Step::Deliver);
  s.jobs.deliver();
  waitForJobs(window);
  goTo(window, 108);
  shoot(window, "deliver");
  auto* receipt = window.findChild<QWidget*>("openReceipt");
  window.steps().ensureWidgetVisible(receipt);
  QTest::qWait(100);
  shoot(window, "deliver-receipt");
  s.view.setPointColor(desktop::ViewSettings::PointColor::Error);
}

void shootDense(desktop::MainWindow& window) {
  desktop::Session& s = window.session();
  using Shown = desktop::ViewSettings::DenseShown;
  window.steps().openStep(Step::Dense);
  s.jobs.makeDense();
  constexpr int kLong_ms = 1200000;
  waitForJobs(window, kLong_ms);
  if (!waitUntil([&] { return s.dense.points() && s.dense.points()->dense && !s.dense.keyframes().empty(); }, 20000)) {
    qCritical("The dense points are not ready.");
    return;
  }
  DenseSettings settings = s.model.document().dense;
  settings.clean.least_neighbours = 0.6;
  s.model.set("Clean up", &Document::dense, settings);
  waitUntil([&] { return !s.dense.reading(); }, 20000);
  window.space().setMode(desktop::Eye::Mode::Orbit);
  window.space().frameAll();
  goTo(window, s.dense.keyframes()[s.dense.keyframes().size() / 2]);
  s.view.showDepth(true);
  s.dense.depthPicture(s.playback.frame());
  QTest::qWait(800);
  shoot(window, "dense");
  settings.clean.region = RegionBox{Vec3(-4, -0.5, -7), Vec3(4, 5, 3)};
  s.model.set("Region", &Document::dense, settings);
  waitUntil([&] { return !s.dense.reading(); }, 20000);
  window.fillWith(desktop::ViewPlace::Right);
  QTest::qWait(1500);
  shoot(window, "dense-space");
  window.fillWith(desktop::ViewPlace::Right);
  s.view.showDepth(false);
  s.jobs.makeSurface(s.dense.points()->dense);
  waitForJobs(window);
  s.view.showDense(Shown::Mesh);
  if (auto* use = window.findChild<QWidget*>("useSurface")) window.steps().ensureWidgetVisible(use, 0, 60);
  window.fillWith(desktop::ViewPlace::Right);
  QTest::qWait(300);
  shoot(window, "dense-mesh");
  s.view.showDense(Shown::Points);
  window.fillWith(desktop::ViewPlace::Right);
  s.jobs.useSurfaceAsMesh(s.dense.surface());
  waitForJobs(window);
  waitUntil([&] { return s.mesh.mesh().surface != nullptr; }, 20000);
  setScene(window);
  s.view.showMesh(false);
  goTo(window, 74);
  QTest::qWait(2500);
  window.fillWith(desktop::ViewPlace::Left);
  shoot(window, "occlusion");
  window.fillWith(desktop::ViewPlace::Left);
  s.view.setTool(desktop::ViewSettings::Tool::DenseMeasure);
  QTest::qWait(500);
  const QSize space = window.space().size();
  for (const QPointF& share : {QPointF(0.36, 0.5), QPointF(0.47, 0.57), QPointF(0.4, 0.6), QPointF(0.32, 0.54), QPointF(0.88, 0.42)})
    QTest::mouseClick(&window.space(), Qt::LeftButton, {}, QPoint(static_cast<int>(share.x() * space.width()), static_cast<int>(share.y() * space.height())));
  if (auto* text = window.findChild<QWidget*>("measuredText")) window.steps().openStep(Step::Dense), window.steps().ensureWidgetVisible(text, 0, 60);
  shoot(window, "measure");
}

}  // namespace dusky::testing
