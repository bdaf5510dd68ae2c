#include "tests/apps/desktop/window_driver.h"

#include <QAbstractButton>
#include <QApplication>
#include <QElapsedTimer>
#include <QMouseEvent>
#include <QSurfaceFormat>

#include "apps/desktop/plate/plate_view.h"
#include "tests/support/temporary_folder.h"

namespace dusky::testing {

bool waitUntil(const std::function<bool()>& holds, int timeout_ms) {
  QElapsedTimer since;
  since.start();
  while (!holds()) {
    if (since.elapsed() > timeout_ms) return false;
    QTest::qWait(10);
  }
  return true;
}

void showWindow(desktop::MainWindow& window) {
  window.resize(1280, 800);
  window.show();
  (void)QTest::qWaitForWindowExposed(&window);
  QApplication::setActiveWindow(&window);  // Xvfb has no window manager to do it; shortcuts need it
}

bool waitForJobs(desktop::MainWindow& window, int timeout_ms) {
  return waitUntil([&] { return !window.session().jobs.busy(); }, timeout_ms);
}

bool openAndWait(desktop::MainWindow& window, const QString& path) {
  window.open(path);
  return waitForJobs(window) && waitUntil([&] { return !window.session().frames.frame(window.session().playback.frame()).isNull(); }, 10000);
}

bool click(desktop::MainWindow& window, const char* name) {
  auto* button = window.findChild<QAbstractButton*>(name);
  if (!button || !button->isVisible() || !button->isEnabled()) return false;
  QTest::mouseClick(button, Qt::LeftButton);
  return true;
}

void drag(QWidget& view, const std::vector<QPointF>& path, Qt::KeyboardModifiers modifiers, Qt::MouseButton button) {
  QTest::mousePress(&view, button, modifiers, path.front().toPoint());
  for (const QPointF& p : path) {
    QMouseEvent move(QEvent::MouseMove, p, view.mapToGlobal(p), Qt::NoButton, button, modifiers);
    QApplication::sendEvent(&view, &move);
  }
  QTest::mouseRelease(&view, button, modifiers, path.back().toPoint());
}

void turnWheel(QWidget& view, const QPointF& at, int steps, Qt::KeyboardModifiers modifiers) {
  for (int i = 0; i < std::abs(steps); ++i) {
    QWheelEvent turn(at, view.mapToGlobal(at), QPoint(), QPoint(0, steps > 0 ? 120 : -120), Qt::NoButton, modifiers, Qt::NoScrollPhase, false);
    QApplication::sendEvent(&view, &turn);
  }
}

void prepareApplication() {
  static const TemporaryFolder own;  // no program sees what another has left behind
  for (const char* name : {"XDG_CONFIG_HOME", "XDG_DATA_HOME", "XDG_CACHE_HOME"}) qputenv(name, QByteArray::fromStdString((own / name).string()));
  QSurfaceFormat format;
  format.setVersion(3, 3);
  format.setProfile(QSurfaceFormat::CoreProfile);
  format.setDepthBufferSize(24);
  QSurfaceFormat::setDefaultFormat(format);
}

}  // namespace dusky::testing
