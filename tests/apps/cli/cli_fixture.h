#pragma once
#include <gtest/gtest.h>

#include <filesystem>

#include "tests/apps/cli/run_moth.h"
#include "tests/support/shot_maker.h"
#include "tests/support/temporary_folder.h"

namespace dusky::testing {
namespace fs = std::filesystem;

/// Shots that are written once for all tests of a program, and a folder of each test's own.
class CliTest : public ::testing::Test {
 protected:
  static void SetUpTestSuite() { shots = new TemporaryFolder; }
  static void TearDownTestSuite() { delete shots; }

  /// The folder of a shot of this kind, written when first asked for.
  static std::string shot(ShotKind kind, int frames = 20) {
    const fs::path folder = *shots / ("kind" + std::to_string(static_cast<int>(kind)));
    if (fs::create_directories(folder)) {
      ShotPlan plan = planShot(kind);
      plan.frames = frames;
      EXPECT_TRUE(MadeShot(plan).write(folder.string(), "shot"));
    }
    return folder.string();
  }
  /// The project of the free shot, solved when first asked for.
  static std::string solvedProject() {
    const fs::path folder = *shots / "solved";
    if (!fs::exists(folder)) EXPECT_EQ(moth({"solve", shot(ShotKind::Free), "-o", folder.string(), "--quiet"}).code, 0);
    for (const auto& entry : fs::directory_iterator(folder)) {
      if (entry.path().extension() == ".moth") return entry.path().string();
    }
    return {};
  }
  static bool nothingIn(const fs::path& folder) { return !fs::exists(folder) || fs::is_empty(folder); }

  static inline TemporaryFolder* shots = nullptr;
  TemporaryFolder out;
};

}  // namespace dusky::testing
