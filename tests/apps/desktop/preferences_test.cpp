// Preferences, shots kept unsaved and the log, in a real window.
#include <QCheckBox>
#include <QComboBox>
#include <QDialogButtonBox>
#include <QDoubleSpinBox>
#include <QFrame>
#include <QMessageBox>
#include <QPlainTextEdit>
#include <QPushButton>
#include <QSpinBox>
#include <QTimer>
#include <oneapi/tbb/global_control.h>

#include "apps/desktop/paint/theme.h"
#include "apps/desktop/cards/log_window.h"
#include "apps/desktop/cards/preferences_dialog.h"
#include "apps/desktop/model/preferences.h"
#include "apps/desktop/model/unsaved.h"
#include "apps/desktop/steps/steps_panel.h"
#include "core/base/log.h"
#include "core/project/edits.h"
#include "tests/apps/desktop/quay_window.h"
#include "tests/apps/desktop/run_tests.h"
#include "tests/support/temporary_folder.h"

namespace dusky::testing {
using namespace desktop;

class PreferencesWindow : public QuayWindow {
 protected:
  void TearDown() override {
    Preferences::instance().set({});
    std::filesystem::remove_all(unsavedFolder());
    QuayWindow::TearDown();
  }
  template <class Widget>
  Widget* in(QWidget* parent, const char* name) {
    auto* found = parent->findChild<Widget*>(name);
    EXPECT_TRUE(found) << name;
    return found;
  }
};

TEST_F(PreferencesWindow, ShowLengthsAndErrorsAsWantedAndStayForTheNextStart) {
  solve();
  QTest::keyClick(window.get(), Qt::Key_Comma, Qt::ControlModifier);
  auto* dialog = window->findChild<PreferencesDialog*>();
  ASSERT_TRUE(dialog && dialog->isVisible());
  window->steps().openStep(Step::Scene);
  auto* metres = in<QDoubleSpinBox>(window.get(), "lengthMetres");
  EXPECT_EQ(metres->suffix(), " m");
  in<QComboBox>(dialog, "lengthUnit")->setCurrentIndex(2);
  EXPECT_EQ(metres->suffix(), " ft");
  EXPECT_NEAR(metres->value(), 3.281, 1e-3);
  metres->setValue(10);
  EXPECT_NEAR(window->trackActions().lengthMetres(), 3.048, 1e-6) << "the document stays in metres";
  EXPECT_TRUE(window->trackActions().length->text().contains("10 ft"));

  auto* rms = in<QPushButton>(window.get(), "verdictRms");
  const auto decimals = [&] { return rms->text().section('.', 1).section(' ', 0, 0).size(); };
  EXPECT_EQ(decimals(), 2);
  QTest::keyClick(in<QSpinBox>(dialog, "errorDecimals"), Qt::Key_Up);
  EXPECT_EQ(decimals(), 3);
  EXPECT_EQ(Preferences::stored().error_decimals, 3);
  EXPECT_EQ(Preferences::stored().unit, LengthUnit::Feet);
  dialog->findChild<QDialogButtonBox*>()->button(QDialogButtonBox::RestoreDefaults)->click();
  EXPECT_EQ(decimals(), 2);
  EXPECT_EQ(metres->suffix(), " m");
  EXPECT_EQ(Preferences::stored(), PreferenceValues());
}

TEST_F(PreferencesWindow, ContrastThreadsAndMemoryAreTakenAtOnce) {
  PreferencesDialog dialog(window.get());
  dialog.show();
  const QColor quiet = color::Quiet, night = color::Night;
  QTest::mouseClick(in<QCheckBox>(&dialog, "highContrast"), Qt::LeftButton, {}, {6, 8});
  EXPECT_GT(color::Quiet.lightness(), quiet.lightness());
  EXPECT_LT(color::Night.lightness(), night.lightness());
  const QColor at = window->steps().grab().toImage().pixelColor(3, window->steps().height() - 5);
  QTest::mouseClick(in<QCheckBox>(&dialog, "highContrast"), Qt::LeftButton, {}, {6, 8});
  EXPECT_EQ(color::Quiet, quiet);
  EXPECT_GT(window->steps().grab().toImage().pixelColor(3, window->steps().height() - 5).lightness(), at.lightness());
  const auto threads = [] { return oneapi::tbb::global_control::active_value(oneapi::tbb::global_control::max_allowed_parallelism); };
  const std::size_t all = threads();
  in<QSpinBox>(&dialog, "threads")->setValue(1);
  EXPECT_EQ(threads(), 1u);
  in<QSpinBox>(&dialog, "threads")->setValue(0);
  EXPECT_EQ(threads(), all);
  in<QSpinBox>(&dialog, "frameMemory")->setValue(128);
  EXPECT_EQ(session().frames.bound(), std::size_t{128} << 20);
}

TEST_F(PreferencesWindow, AShotIsKeptUntilItIsSavedOrClosed) {
  const auto kept = [] {
    std::size_t count = 0;
    std::error_code none;
    for (const auto& entry : std::filesystem::directory_iterator(unsavedFolder(), none)) count += entry.path().extension() == ".moth";
    return count;
  };
  EXPECT_EQ(kept(), 0u);
  track();
  EXPECT_EQ(kept(), 1u);
  EXPECT_TRUE(session().model.unsaved());
  const TemporaryFolder folder;
  ASSERT_TRUE(window->saveTo(QString::fromStdString((folder / "quay.moth").string())));
  EXPECT_EQ(kept(), 0u);
  EXPECT_FALSE(session().model.unsaved());
  session().jobs.open(QString::fromStdString(quaySequence(16) + "/quay.0001.png"));
  ASSERT_TRUE(waitForJobs(*window));
}

// As after a crash: a shot lies there that nobody has open.
TEST_F(PreferencesWindow, WhatACrashLeftIsOfferedAndGoesOn) {
  Document document = this->document();
  document.seed = 41;
  std::filesystem::create_directories(unsavedFolder());
  for (const char* name : {"a.moth", "b.moth"}) ASSERT_TRUE(ProjectStore::create(unsavedFolder() / name, document).ok());
  MainWindow fresh;
  showWindow(fresh);
  ASSERT_TRUE(fresh.findChild<QFrame*>("unsaved"));
  EXPECT_EQ(fresh.findChildren<QPushButton*>("openUnsaved").size(), 2);
  QTimer::singleShot(0, [] {
    auto* box = qobject_cast<QMessageBox*>(QApplication::activeModalWidget());
    ASSERT_TRUE(box);
    QTest::mouseClick(box->button(QMessageBox::Discard), Qt::LeftButton);
  });
  ASSERT_TRUE(click(fresh, "dropUnsaved"));
  QCoreApplication::sendPostedEvents(nullptr, QEvent::DeferredDelete);
  QTest::qWait(20);
  EXPECT_EQ(fresh.findChildren<QPushButton*>("openUnsaved").size(), 1);
  ASSERT_TRUE(click(fresh, "openUnsaved"));
  ASSERT_TRUE(waitForJobs(fresh));
  EXPECT_EQ(fresh.session().model.document().seed, 41);
  EXPECT_TRUE(fresh.windowTitle().contains("not saved yet"));
  EXPECT_TRUE(fresh.session().model.unsaved());
  const TemporaryFolder folder;
  ASSERT_TRUE(fresh.saveTo(QString::fromStdString((folder / "quay.moth").string())));
  EXPECT_TRUE(unsavedShots(unsavedFolder()).empty());
  fresh.session().jobs.open(QString::fromStdString(quaySequence(16) + "/quay.0001.png"));
  ASSERT_TRUE(waitForJobs(fresh));
}

TEST_F(PreferencesWindow, TheLogShowsWhatWasDone) {
  const TemporaryFolder folder;
  ASSERT_TRUE(openLog(folder / "dusky-moth.log", LogKind::Rotating).ok());
  track();
  session().jobs.open(QString::fromStdString((folder / "none.mp4").string()));
  ASSERT_TRUE(waitForJobs(*window));
  LogWindow log;
  const QString text = log.findChild<QPlainTextEdit*>()->toPlainText();
  EXPECT_TRUE(text.contains("track: begun") && text.contains("track: ended after")) << text.toStdString();
  EXPECT_TRUE(text.contains("none.mp4")) << "what the artist was told";
  closeLog();
}

}  // namespace dusky::testing

int main(int argc, char** argv) { return dusky::testing::runTests(argc, argv); }
