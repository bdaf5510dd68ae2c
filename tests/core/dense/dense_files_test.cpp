// What is kept of dense points: whole again when it is read, never when it is damaged; a run that was stopped goes on.
#include "core/dense/dense_files.h"

#include <gmock/gmock.h>
#include <gtest/gtest.h>

#include <cmath>

#include "core/base/atomic_file.h"
#include "tests/support/made_delivery.h"
#include "tests/support/temporary_folder.h"

namespace dusky::testing {
namespace fs = std::filesystem;
using ::testing::HasSubstr;

class KeptDense : public ::testing::Test {
 protected:
  static ShotPlan plan() {
    ShotPlan plan = planShot(ShotKind::Free);
    plan.width = 320, plan.height = 180, plan.frames = 24, plan.first_frame = 1001, plan.samples = 1;
    plan.lens = Lens::simple(320, 180, 280);
    return plan;
  }
  static const MadeDelivery& made() {
    static const MadeDelivery one(plan());
    return one;
  }
  Result<DenseResult> make(const Progress& progress = {}, std::size_t most_bytes = std::size_t{1} << 30) const {
    return makeDense({made().solution, made().input().open_footage, {}, folder / "kept"}, {.quality = DenseQuality::Fine, .most_bytes = most_bytes}, progress);
  }
  static void expectSame(const DenseCloud& a, const DenseCloud& b) {
    ASSERT_EQ(a.points.size(), b.points.size());
    for (std::size_t k = 0; k < a.points.size(); ++k) {
      const DensePoint &p = a.points[k], &q = b.points[k];
      ASSERT_EQ(p.at, q.at);
      ASSERT_EQ(p.normal, q.normal);
      ASSERT_EQ(p.color, q.color);
      ASSERT_TRUE(p.views == q.views && p.confidence == q.confidence && p.sigma == q.sigma && p.pixel == q.pixel && p.slant_deg == q.slant_deg &&
                  p.color_apart == q.color_apart);
    }
  }
  TemporaryFolder folder;
};

TEST_F(KeptDense, ComesBackWhole) {
  const auto dense = make();
  ASSERT_TRUE(dense.ok()) << dense.error().message;
  EXPECT_EQ(dense->maps_made, static_cast<int>(dense->frames.size()));
  ASSERT_TRUE(writeDenseResult(folder / "points", *dense).ok());
  const auto back = readDenseResult(folder / "points");
  ASSERT_TRUE(back.ok()) << back.error().message;
  expectSame(dense->cloud, (*back)->cloud);
  ASSERT_EQ(dense->frames.size(), (*back)->frames.size());
  EXPECT_EQ(dense->frames[2].agreeing_share, (*back)->frames[2].agreeing_share);
  std::size_t points = 0;
  ASSERT_TRUE(readDenseSummary(folder / "points", points).ok());
  EXPECT_EQ(points, dense->cloud.points.size());
  for (const DensePoint& p : dense->cloud.points) {
    ASSERT_GE(p.views, 3);
    ASSERT_LE(p.slant_deg, 90);
    ASSERT_GT(p.pixel, 0);
  }
}

TEST_F(KeptDense, StoppedItGoesOnAndComesToTheSame) {
  std::stop_source stop;
  int views = 0;
  const Progress progress([&](const ProgressState& state) { state.fraction > 0.4 ? void(stop.request_stop()) : void(++views); }, stop.get_token());
  EXPECT_EQ(make(progress).error().kind, ErrorKind::Cancelled);
  int kept = 0;
  for (const auto& entry : fs::directory_iterator(folder / "kept")) kept += entry.path().extension() == ".map";
  ASSERT_GT(kept, 1);
  const auto gone_on = make();
  ASSERT_TRUE(gone_on.ok()) << gone_on.error().message;
  EXPECT_EQ(gone_on->maps_made, static_cast<int>(gone_on->frames.size()) - kept);
  fs::remove_all(folder / "kept");
  expectSame(gone_on->cloud, make()->cloud);
}

TEST_F(KeptDense, WhatIsDamagedIsMadeAnew) {
  const auto first = make();
  const fs::path map = depthMapIn(folder / "kept", first->frames[1].frame);
  std::string bytes = *readFile(map);
  bytes[bytes.size() / 2] = static_cast<char>(bytes[bytes.size() / 2] ^ 1);
  ASSERT_TRUE(writeFileAtomically(map, bytes).ok());
  EXPECT_THAT(readFusedView(map).error().message, HasSubstr("damaged"));
  const fs::path cut = depthMapIn(folder / "kept", first->frames[2].frame);
  ASSERT_TRUE(writeFileAtomically(cut, readFile(cut)->substr(0, 1000)).ok());
  const auto again = make();
  EXPECT_EQ(again->maps_made, 2);
  expectSame(first->cloud, again->cloud);
  ASSERT_TRUE(writeFileAtomically(folder / "points", "DMPACK1\nno").ok());
  EXPECT_FALSE(readDenseResult(folder / "points").ok());
  EXPECT_FALSE(readDenseResult(folder / "none").ok());
}

TEST_F(KeptDense, WithOtherKeyframesMapsThatStandAreTaken) {
  const auto first = make();
  std::vector<int> fewer;
  for (const DenseFrame& frame : first->frames) fewer.push_back(frame.frame);
  const int gone = fewer.back();
  fewer.pop_back();
  const auto makeFewer = [&](const char* name, std::vector<fs::path> earlier) {
    return makeDense({.solution = made().solution, .open_footage = made().input().open_footage, .folder = folder / name, .earlier = std::move(earlier)},
                     {.quality = DenseQuality::Fine, .keyframes = fewer}, {});
  };
  const auto second = makeFewer("fewer", {folder / "kept"}), alone = makeFewer("alone", {});
  ASSERT_TRUE(second.ok() && alone.ok());
  EXPECT_EQ(second->frames.size(), fewer.size());
  EXPECT_GT(second->maps_made, 0) << "those that were made from the one that is gone";
  EXPECT_LT(second->maps_made, static_cast<int>(fewer.size()));
  expectSame(second->cloud, alone->cloud);
  EXPECT_TRUE(depthMapIn(folder / "fewer", gone).empty());
  EXPECT_FALSE(depthMapIn(folder / "kept", gone).empty());
}

TEST_F(KeptDense, WhereMemoryIsShortFewerViewsAreComparedAndThatIsSaid) {
  const auto forecast = forecastDense(made().solution, {.quality = DenseQuality::Fine});
  ASSERT_TRUE(forecast.ok());
  const std::size_t map = forecast->disk / static_cast<std::size_t>(forecast->keyframes);
  const auto dense = make({}, 5 * map);
  ASSERT_TRUE(dense.ok()) << dense.error().message;
  ASSERT_EQ(dense->warnings.size(), 1U);
  EXPECT_THAT(dense->warnings[0], HasSubstr("compared with 4 others"));
  EXPECT_GT(dense->cloud.points.size(), 10'000U);
}

TEST_F(KeptDense, ForecastsTellWhatItTakes) {
  const auto forecast = forecastDense(made().solution, {.quality = DenseQuality::Fine});
  const auto dense = make();
  EXPECT_EQ(forecast->keyframes, static_cast<int>(dense->frames.size()));
  std::uintmax_t bytes = 0;
  for (const auto& entry : fs::directory_iterator(folder / "kept")) bytes += entry.file_size();
  EXPECT_NEAR(static_cast<double>(forecast->disk), static_cast<double>(bytes), 0.02 * static_cast<double>(bytes));
}

TEST_F(KeptDense, AFolderThatTakesNothingIsSaidAtOnce) {
  ASSERT_TRUE(writeFileAtomically(folder / "kept", "a file").ok());
  EXPECT_EQ(make().error().kind, ErrorKind::CannotWrite);
}

}  // namespace dusky::testing
