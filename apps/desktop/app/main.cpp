#include <fmt/format.h>

#include <QApplication>
#include <QFileInfo>
#include <QSurfaceFormat>
#include <cstdio>
#include <filesystem>
#include <string_view>

#include "apps/desktop/app/main_window.h"
#include "apps/desktop/paint/theme.h"
#include "apps/desktop/model/preferences.h"
#include "apps/desktop/model/user_settings.h"
#include "core/base/log.h"
#include "core/base/memory.h"
#include "core/base/version.h"

namespace {

constexpr const char* kHelp =
    "Usage: dusky-moth [OPTIONS] [FOOTAGE | PROJECT.moth]\n\n"
    "The window of Dusky Moth. Opens footage (a movie, one picture of a sequence, or a folder) or a project.\n"
    "The program without a window is moth; see moth --help.\n\n"
    "Options:\n"
    "  -h,--help                   Print this help message and exit\n"
    "  --version                   Display program version information and exit\n"
    "  --log FILE                  Write what happens, and what libraries say, into this file";

struct Arguments {
  QString open, log, wrong;
};

Arguments readArguments(const QStringList& given) {
  Arguments a;
  for (int i = 0; i < given.size(); ++i) {
    const QString& one = given[i];
    if (one == "--log" && i + 1 < given.size()) {
      a.log = given[++i];
    } else if (one.startsWith("--log=")) {
      a.log = one.mid(6);
    } else if ((one.startsWith("-") && !QFileInfo::exists(one)) || !a.open.isEmpty()) {
      a.wrong = one;
    } else {
      a.open = one;
    }
  }
  return a;
}

/// One given by name; else one beside the settings, which goes on for ever without growing.
dusky::Status beginLog(const QString& given) {
  if (!given.isEmpty()) return dusky::openLog(given.toStdString(), dusky::LogKind::Whole);
  const QFileInfo settings(dusky::desktop::userSettings().fileName());
  std::error_code failed;
  std::filesystem::create_directories(settings.absolutePath().toStdString(), failed);
  // Nobody asked for it: a folder that takes no log is no reason not to start.
  (void)dusky::openLog((settings.absolutePath() + "/dusky-moth.log").toStdString(), dusky::LogKind::Rotating);
  return dusky::Done{};
}

void logQt(QtMsgType kind, const QMessageLogContext&, const QString& words) {
  if (kind != QtDebugMsg) dusky::logLibrary("Qt", words.toStdString());
}

}  // namespace

int main(int argc, char** argv) {
  // These need no screen.
  for (int i = 1; i < argc; ++i) {
    const std::string_view one = argv[i];
    if (one == "--help" || one == "-h") return std::puts(kHelp), 0;
    if (one == "--version") return fmt::print("dusky-moth {}\n", dusky::kVersionText), 0;
  }
  dusky::keepLargeBlocks();
  QSurfaceFormat format;
  format.setVersion(3, 3);
  format.setProfile(QSurfaceFormat::CoreProfile);
  format.setDepthBufferSize(24);
  format.setSamples(4);
  QSurfaceFormat::setDefaultFormat(format);
  const dusky::desktop::PreferenceValues wanted = dusky::desktop::Preferences::stored();
  // Everything grows together, so that nothing is cut off; Qt takes it before there is an application.
  if (wanted.scale_percent != 100 && !qEnvironmentVariableIsSet("QT_SCALE_FACTOR"))
    qputenv("QT_SCALE_FACTOR", QByteArray::number(wanted.scale_percent / 100.0));
  QApplication application(argc, argv);
  QApplication::setApplicationName("Dusky Moth");
  QApplication::setDesktopFileName("org.duskymoth.DuskyMoth");
  const Arguments arguments = readArguments(QApplication::arguments().mid(1));
  const dusky::Status log = arguments.wrong.isEmpty()
                                ? beginLog(arguments.log)
                                : dusky::Status(dusky::invalidInput(arguments.wrong.toStdString() + ": it takes one FOOTAGE or PROJECT.moth, and --log FILE."));
  if (!log.ok()) {
    fmt::print(stderr, "dusky-moth: {}\n", log.error().message);
    return 2;
  }
  dusky::logLine(fmt::format("dusky-moth {}: begun", dusky::kVersionText));
  qInstallMessageHandler(logQt);
  dusky::desktop::applyTheme(application, wanted.high_contrast);
  int code = 0;
  {
    dusky::desktop::MainWindow window;
    window.show();
    if (!arguments.open.isEmpty()) window.open(arguments.open);
    code = QApplication::exec();
  }
  dusky::logLine("ended");
  return code;
}
