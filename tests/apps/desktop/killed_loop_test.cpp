// The loop of pruning in a window of its own that is killed at random moments: its project opens again and lacks at most the edit under way.
// DUSKY_LOOP_KILLS (3) says how often.
#include <gtest/gtest.h>
#include <signal.h>
#include <sys/wait.h>
#include <unistd.h>

#include <QApplication>
#include <cmath>
#include <fstream>

#include "core/base/random.h"
#include "core/project/edits.h"
#include "tests/apps/desktop/quay_window.h"
#include "tests/apps/desktop/run_tests.h"
#include "tests/support/temporary_folder.h"

namespace dusky::testing {
namespace fs = std::filesystem;

int lastIn(const fs::path& diary) {
  std::ifstream read(diary);
  int last = 0;
  for (int number = 0; read >> number;) last = number;
  return last;
}

/// Every edit is numbered in the document (its delivery folder) and, once it was made, in the diary.
void pruneForEver(const QString& project, const fs::path& diary) {
  desktop::MainWindow window;
  showWindow(window);
  if (!openAndWait(window, project)) return;
  desktop::Session& s = window.session();
  std::ofstream wrote(diary, std::ios::app);
  const double rms = s.model.solution() ? s.model.solution()->rms_px : 0.3;
  for (int number = lastIn(diary) + 1;; ++number) {
    DeliverySettings delivery = s.model.document().delivery;
    delivery.folder = "/edit/" + std::to_string(number);
    s.model.set("Change delivery folder", &Document::delivery, delivery);
    wrote << number << std::endl;
    PruneRules rules;
    rules.max_typical_px = (1.1 + 0.1 * (number % 6)) * rms;
    switch (number % 4) {
      case 0: s.model.set("Change pruning rule", &Document::prune, rules); break;
      case 1: waitUntil([&] { return !s.prune.working(); }, 2000), s.model.run(setAsideChosen(s.model.document(), s.prune.choice())); break;
      case 2: s.jobs.carryOn(), waitForJobs(window); break;
      default: s.model.run(bringBack(s.model.document(), s.model.document().picks.set_aside));
    }
    QTest::qWait(20);
  }
}

pid_t begun(const fs::path& project, const fs::path& diary) {
  const pid_t child = fork();
  if (child == 0) {
    execl("/proc/self/exe", "killed_loop", "--loop", project.c_str(), diary.c_str(), nullptr);
    _exit(127);
  }
  return child;
}

class KilledLoop : public QuayWindow {};

TEST_F(KilledLoop, OpensAgainAndLacksAtMostTheEditUnderWay) {
  const TemporaryFolder folder;
  const fs::path project = folder / "quay.moth", diary = folder / "diary";
  solve();
  ASSERT_TRUE(window->saveTo(QString::fromStdString(project.string())));
  const double rms = session().model.solution()->rms_px;
  window.reset();
  Random random(static_cast<std::uint64_t>(::getpid()));
  const int kills = qEnvironmentVariableIntValue("DUSKY_LOOP_KILLS") > 0 ? qEnvironmentVariableIntValue("DUSKY_LOOP_KILLS") : 3;
  for (int i = 0; i < kills; ++i) {
    const int before = lastIn(diary);
    const pid_t child = begun(project, diary);
    ASSERT_TRUE(waitUntil([&] { return lastIn(diary) > before; }, 60000)) << "it never began";
    QTest::qWait(random.index(4000));
    ASSERT_TRUE(waitUntil([&] { return lastIn(diary) >= before + 5; }, 60000)) << "a slow machine is given time";
    kill(child, SIGKILL);
    waitpid(child, nullptr, 0);
    const int made = lastIn(diary);
    Workspace w;
    std::string warning;
    const Status opened = w.openProject(project, &warning, ProjectStore::Access::Read);
    ASSERT_TRUE(opened.ok()) << opened.error().message;
    EXPECT_EQ(warning, "");
    const std::string stored = fs::path(w.document().delivery.folder).filename().string();
    EXPECT_GE(std::stoi(stored), made - 1) << "edit " << made << " was made";
    ASSERT_TRUE(w.solution());
    EXPECT_LT(w.solution()->rms_px, 1.3 * rms);
  }
  EXPECT_GT(lastIn(diary), 4 * kills);
}

}  // namespace dusky::testing

int main(int argc, char** argv) {
  if (argc == 4 && std::string(argv[1]) == "--loop") {
    dusky::testing::prepareApplication();
    QApplication application(argc, argv);
    dusky::desktop::applyTheme(application);
    dusky::testing::pruneForEver(argv[2], argv[3]);
    return 1;
  }
  return dusky::testing::runTests(argc, argv);
}
