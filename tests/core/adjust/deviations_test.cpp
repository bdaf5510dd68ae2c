// Standard deviations that a solve states, against how far it really is from the truth.
#include <gtest/gtest.h>

#include <array>
#include <cmath>

#include "core/base/numbers.h"
#include "core/geometry/align.h"
#include "core/geometry/ellipsoid.h"
#include "core/solve/solve_shot.h"
#include "tests/support/synthetic_shot.h"

namespace dusky::testing {

SyntheticPlan studyPlan(int seed) {
  SyntheticPlan plan{.frames = 24, .points = 260, .noise_px = 0.3};
  plan.seed = static_cast<std::uint64_t>(seed);
  return plan;
}

/// The truth carried into a solve's world by its cameras, places and orientations together.
Similarity solvedFromTruth(const SyntheticShot& shot, const Solution& solution) {
  std::vector<Pose> truth, solved;
  for (const SolvedFrame& frame : solution.frames) {
    if (frame.placed) truth.push_back(shot.poses[frame.frame - 1]), solved.push_back(frame.pose);
  }
  const auto fit = alignPaths(truth, solved);
  return fit.ok() ? *fit : Similarity{};
}

TEST(Deviations, HoldNearlyAllTrueErrorsWithinTwo) {
  int centres = 0, centres_within = 0, points = 0, points_within = 0;
  std::array<std::vector<double>, 3> along_axis;
  for (int seed = 1; seed <= 4; ++seed) {
    const SyntheticShot shot = makeSyntheticShot(studyPlan(seed));
    const auto solved = solveShot(shot.tracks, {.lens = LensChoice::None, .seed = seed}, {});
    ASSERT_TRUE(solved.ok()) << solved.error().message;
    const Similarity carry = solvedFromTruth(shot, **solved);
    for (const SolvedFrame& frame : (*solved)->frames) {
      if (!frame.placed) continue;
      ++centres;
      centres_within += (carry * shot.poses[frame.frame - 1].centre - frame.pose.centre).norm() / std::sqrt(3.0) < 2 * frame.sigma_centre;
    }
    for (const SolvedTrack& track : (*solved)->tracks) {
      if (track.state != TrackState::Kept || track.at_infinity || track.holdout) continue;
      ++points;
      const Vec3 off = carry * shot.points[track.id - 1] - track.point;
      points_within += off.norm() / std::sqrt(3.0) < 2 * track.sigma_point;
      EXPECT_NEAR(track.covariance.trace(), 3 * track.sigma_point * track.sigma_point, 1e-9 * track.covariance.trace());
      // Along each axis of its ellipsoid, in its own deviations.
      const Mat3 axes = ellipsoidAxes(track.covariance);
      for (int k = 0; k < 3; ++k) along_axis[k].push_back(std::abs(off.dot(axes.col(k))) / axes.col(k).squaredNorm());
    }
  }
  for (const std::vector<double>& deviations : along_axis) {
    EXPECT_GT(median(deviations), 0.25) << "0.67 where the ellipsoid is true";
    EXPECT_LT(median(deviations), 1.5);
  }
  EXPECT_GT(static_cast<double>(centres_within) / centres, 0.85);
  EXPECT_GT(static_cast<double>(points_within) / points, 0.75) << "points carry the world's own error in this gauge as well";
}

TEST(Deviations, MoreTracksMakeThemSmallerAndALockedLensHasNone) {
  SyntheticPlan many = studyPlan(7), few = studyPlan(7);
  many.points = 500, few.points = 90;
  const auto a = solveShot(makeSyntheticShot(many).tracks, {}, {}), b = solveShot(makeSyntheticShot(few).tracks, {}, {});
  ASSERT_TRUE(a.ok() && b.ok());
  EXPECT_LT((*a)->cameras[0].sigma[0], (*b)->cameras[0].sigma[0]);
  EXPECT_LT((*a)->frames[12].sigma_rotation_rad, (*b)->frames[12].sigma_rotation_rad);
  EXPECT_GT((*a)->cameras[0].lens_sigma_px, 0);
  const auto locked = solveShot(makeSyntheticShot(many).tracks, {.known_lens = many.lens}, {});
  ASSERT_TRUE(locked.ok());
  EXPECT_TRUE(std::isnan((*locked)->cameras[0].sigma[0]));
  EXPECT_TRUE(std::isnan((*locked)->cameras[0].lens_sigma_px));
}

}  // namespace dusky::testing
