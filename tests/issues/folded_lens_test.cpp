// Far outside its range a barrel lens folds over: a point 75 degrees off the axis seemed to lie in the picture. Such points were taken as visible, slipped by
// dozens of pixels, and bent the alignment of everything else.
#include <gtest/gtest.h>

#include "core/deliver/compare.h"
#include "tests/support/shot_maker.h"

namespace dusky::testing {

TEST(FoldedLens, AComparisonLeavesOutWhatTheLensCannotSee) {
  Lens lens = Lens::simple(640, 360, 560);
  lens.k1() = -0.06;
  const Vec2 outside(3.86, 0.1);
  const Vec2 folded = lens.distort(outside);
  ASSERT_TRUE(folded.x() > 0 && folded.x() < 640) << "the trap: it seems to lie in the picture";
  ShotRecord truth;
  truth.width = 640, truth.height = 360;
  for (int f = 1; f <= 5; ++f) truth.frames[f] = {Pose{Eigen::Quaterniond::Identity(), Vec3(0.1 * f, 0.02 * f * f, 0)}, lens};
  for (int i = 0; i < 12; ++i) truth.points.push_back({Vec3(0.4 * (i % 4) - 0.6, 0.3 * (i / 4) - 0.3, 4 + 0.2 * i), {}});
  const int honest = compareShots(truth, truth)->slip_samples;
  truth.points.push_back({Vec3(3.86, 0.1, 1.0) * 5, {}});
  EXPECT_EQ(compareShots(truth, truth)->slip_samples, honest);
}

TEST(FoldedLens, TheShotMakerShowsOnlyWhatTheLensSees) {
  ShotPlan plan = planShot(ShotKind::Free);
  plan.frames = 6;
  MadeShot shot(plan);
  for (std::size_t k = 0; k < shot.truth().points.size(); ++k) {
    for (int frame : shot.truth().visible[k]) {
      const Vec3 p = shot.truth().poses[frame - 1].toCamera(shot.truth().points[k]);
      EXPECT_TRUE(shot.truth().lenses[frame - 1].risingUpTo(p.hnormalized()));
    }
  }
}

}  // namespace dusky::testing
