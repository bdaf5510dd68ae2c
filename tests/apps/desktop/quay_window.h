#pragma once
#include <gtest/gtest.h>

#include <memory>

#include "tests/apps/desktop/window_driver.h"
#include "tests/support/shot_maker.h"

namespace dusky::testing {

/// A real window on a small made-up shot of 16 frames, quay.0001.png and on; the files are made once for all tests.
class QuayWindow : public ::testing::Test {
 protected:
  static std::filesystem::path folder() { return quaySequence(16); }
  void SetUp() override {
    window = std::make_unique<desktop::MainWindow>();
    showWindow(*window);
    ASSERT_TRUE(openAndWait(*window, QString::fromStdString((folder() / "quay.0001.png").string())));
  }
  void TearDown() override { window.reset(); }

  desktop::Session& session() { return window->session(); }
  const Document& document() { return session().model.document(); }

  void track() {
    session().jobs.runTracks();
    ASSERT_TRUE(waitForJobs(*window));
    ASSERT_TRUE(session().model.tracks());
  }
  void solve() {
    session().jobs.runSolve();
    ASSERT_TRUE(waitForJobs(*window));
    ASSERT_TRUE(session().model.solution());
  }

  std::unique_ptr<desktop::MainWindow> window;
};

/// The same, solved, with Space shown beside the Plate.
class SolvedQuayWindow : public QuayWindow {
 protected:
  void SetUp() override {
    QuayWindow::SetUp();
    if (HasFatalFailure()) return;
    window->showView(desktop::View::Space);
    solve();
    QTest::qWait(50);
  }
  Vec3 placeOf(int track) { return session().model.scene()->scene_from_solve * session().model.solution()->find(track)->point; }
};
}  // namespace dusky::testing
