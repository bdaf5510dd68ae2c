// A zoom's focal lengths told by a few corners: what a pull of focus or of the zoom ring does.
#include "core/solve/focal_corners.h"

#include <gmock/gmock.h>
#include <gtest/gtest.h>

#include "core/base/progress.h"
#include "core/base/random.h"
#include "core/solve/description_length.h"
#include "core/solve/sort_out.h"
#include "tests/support/synthetic_shot.h"

namespace dusky::testing {
namespace {

/// Stands, rises, stands.
double ramp(int i) { return std::clamp((i - 30) / 20.0, 0.0, 1.0); }

TEST(FocalCorners, StraightPiecesAreFoundExactly) {
  std::vector<double> values;
  for (int i = 0; i < 90; ++i) values.push_back(7 + 0.02 * ramp(i));
  const std::vector<double> found = alongPieces(values, 4);
  for (std::size_t i = 0; i < values.size(); ++i) EXPECT_NEAR(found[i], values[i], 1e-9) << i;
}

TEST(FocalCorners, AndUnderNoiseToAFractionOfIt) {
  constexpr double kNoise = 0.002;
  Random random(3);
  std::vector<double> values;
  for (int i = 0; i < 90; ++i) values.push_back(7 + 0.02 * ramp(i) + kNoise * random.normal());
  const std::vector<double> found = alongPieces(values, 4);
  double squares = 0;
  for (int i = 0; i < 90; ++i) squares += std::pow(found[static_cast<std::size_t>(i)] - 7 - 0.02 * ramp(i), 2);
  EXPECT_LT(std::sqrt(squares / 90), 0.5 * kNoise);
}

TEST(FocalCorners, FewValuesStayAsTheyAre) {
  EXPECT_THAT(alongPieces(std::vector<double>{1, 5}, 4), ::testing::ElementsAre(1, 5));
  EXPECT_THAT(alongPieces(std::vector<double>{}, 4), ::testing::IsEmpty());
  const std::vector<double> all = alongPieces(std::vector<double>{1, 5, 2}, 9);
  EXPECT_NEAR(all[1], 5, 1e-9) << "no more corners than values";
}

/// A shot at its truth, with a focal length for each frame that goes by `focal`.
struct Zooming {
  SyntheticShot shot;
  SolveState state;
  SolveOptions options;
  Progress progress;

  explicit Zooming(std::function<double(int)> focal) : shot(makeSyntheticShot(plan(std::move(focal)))) {
    state.work = reconstructionAtTruth(shot);
    state.freedom[kFirstCoefficient] = true;
    state.spread_px = errorSpread(state.work);
    freeZoom(state);
    for (int f = 0; f < shot.plan.frames; ++f) state.work.focal_px[static_cast<std::size_t>(f)] = shot.plan.focal_px(f);
    tieZoom(state);
    sortOutNow(state);
    adjustToTheEnd(state, task());
  }
  static SyntheticPlan plan(std::function<double(int)> focal) {
    SyntheticPlan plan{.frames = 90, .points = 500, .noise_px = 0.2, .life = 20};
    plan.focal_px = std::move(focal);
    return plan;
  }
  SolveTask task() const { return {shot.tracks, options, progress}; }
};

TEST(FocalCorners, APullOfFocusIsToldByFourAtNoCost) {
  const Zooming zoom([](int i) { return 1100 * (1 + 0.01 * ramp(i)); });
  const auto told = toldByCorners(zoom.state, zoom.task());
  ASSERT_EQ(told.size(), 4u);
  EXPECT_EQ(told[1].corners, 4);
  const double unit = 0.2 * 0.2;
  EXPECT_LT(told[1].extra_px2, 100 * unit) << "ninety focal lengths fit the noise a little better";
  EXPECT_GT(told[0].extra_px2, told[1].extra_px2 + 10 * unit) << "three pieces are needed";
  std::vector<int> all;
  for (int f = 0; f < zoom.shot.plan.frames; ++f) all.push_back(f);
  const auto length = [&](const std::optional<FocalCorners>& corners) {
    return descriptionLength(zoom.state.work, false, all, 0.2, 1.5, 3000, corners).total();
  };
  EXPECT_LT(length(told[1]), length({}) - 10);
  EXPECT_DOUBLE_EQ(length(FocalCorners{.corners = 4, .extra_px2 = 1e6}), length({})) << "corners that do not fit are not taken";
}

TEST(FocalCorners, AFocalLengthThatWaversIsNot) {
  const Zooming zoom([](int i) { return 1100 * (1 + 0.02 * std::sin(0.8 * i)); });
  for (const FocalCorners& told : toldByCorners(zoom.state, zoom.task())) EXPECT_GT(told.extra_px2, 1000 * 0.2 * 0.2) << told.corners;
}

TEST(FocalCorners, OneFocalLengthHasNone) {
  Zooming zoom([](int) { return 1100.0; });
  holdZoom(zoom.state);
  EXPECT_TRUE(toldByCorners(zoom.state, zoom.task()).empty());
}

}  // namespace
}  // namespace dusky::testing
