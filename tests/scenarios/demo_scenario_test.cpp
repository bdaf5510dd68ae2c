// The shipped demo shot through the real command line, judged by its truth. Tolerances are the promises of docs/accuracy.md.
#include <fmt/format.h>
#include <gtest/gtest.h>

#include <cmath>
#include <fstream>
#include <nlohmann/json.hpp>

#include "core/base/atomic_file.h"
#include "core/deliver/compare.h"
#include "tests/support/temporary_folder.h"

namespace dusky::testing {

nlohmann::json solveDemo(const TemporaryFolder& folder, const std::string& name, const std::string& extra) {
  const std::string command = fmt::format("{} solve {}/ferry-landing.mp4 -o {} --quiet {}", DUSKY_MOTH, DUSKY_DEMO_DATA, (folder / name).string(), extra);
  EXPECT_EQ(std::system(command.c_str()), 0) << command;
  return nlohmann::json::parse(*readFile(folder / name / "report.json"));
}

TEST(DemoScenario, MeetsItsPromisesAndRepeats) {
  const TemporaryFolder folder;
  const auto report = solveDemo(folder, "two", "--threads 2");
  EXPECT_EQ(report["frames"].size(), 120u);
  EXPECT_LE(report["rms_px"].get<double>(), 0.5);
  EXPECT_LE(report["holdout_rms_px"].get<double>(), 1.3 * report["rms_px"].get<double>());
  EXPECT_LT(report["peak_rss_mb"].get<double>(), 1500);

  const auto solved = readShotRecord(folder / "two" / "report.json");
  const auto truth = readShotRecord(DUSKY_DEMO_DATA "/ferry-landing.truth.json");
  ASSERT_TRUE(solved.ok() && truth.ok());
  EXPECT_GE(truth->points.size(), 80u);
  const auto result = compareShots(*solved, *truth);
  ASSERT_TRUE(result.ok());
  EXPECT_LE(result->slip_rms_px, 0.5);
  EXPECT_LE(result->focal_error_share, 0.01);

  const auto again = solveDemo(folder, "one", "--threads 1");
  ASSERT_EQ(again["frames"].size(), report["frames"].size());
  double worst = 0;
  for (std::size_t f = 0; f < report["frames"].size(); ++f) {
    for (int i = 0; i < 3; ++i) {
      for (int j = 0; j < 4; ++j) {
        const double a = report["frames"][f]["world_from_camera"][i][j], b = again["frames"][f]["world_from_camera"][i][j];
        worst = std::max(worst, std::abs(a - b));
      }
    }
  }
  EXPECT_LT(worst, 1e-6) << "one thread and two must give the same poses";
}

}  // namespace dusky::testing
