#include <QApplication>
#include <QSurfaceFormat>
#include <cstdio>
#include <cstring>

#include "apps/desktop/app/main_window.h"
#include "apps/desktop/app/theme.h"
#include "core/base/memory.h"

int main(int argc, char** argv) {
  for (int i = 1; i < argc; ++i) {
    if (std::strcmp(argv[i], "--help") != 0) continue;
    std::puts(
        "dusky-moth [FOOTAGE | PROJECT.moth]\n\nThe window of Dusky Moth. Opens footage (a movie, one picture of a sequence, or a folder) or a project.\n"
        "The program without a window is moth; see moth --help.");
    return 0;
  }
  dusky::keepLargeBlocks();
  QSurfaceFormat format;
  format.setVersion(3, 3);
  format.setProfile(QSurfaceFormat::CoreProfile);
  format.setDepthBufferSize(24);
  format.setSamples(4);
  QSurfaceFormat::setDefaultFormat(format);
  QApplication application(argc, argv);
  QApplication::setApplicationName("Dusky Moth");
  dusky::desktop::applyTheme(application);
  dusky::desktop::MainWindow window;
  window.show();
  const QStringList given = QApplication::arguments().mid(1);
  if (!given.isEmpty()) window.open(given.front());
  return QApplication::exec();
}
