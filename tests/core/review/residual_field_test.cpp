#include "core/review/residual_field.h"

#include <gtest/gtest.h>

#include <cmath>

#include "tests/support/synthetic_shot.h"

namespace dusky::testing {

SyntheticShot shotWith(std::uint64_t seed, double noise_px) {
  SyntheticPlan plan{.frames = 24, .points = 700, .noise_px = noise_px, .life = 14, .seed = seed};
  plan.lens.k1() = -0.12;
  return makeSyntheticShot(plan);
}

/// The solve as it would be with another lens, everything else as it truly is.
Solution solvedWith(const SyntheticShot& shot, const Lens& lens) {
  Solution solution = perfectSolution(shot);
  for (SolvedTrack& track : solution.tracks) {
    for (TrackError& e : track.errors) {
      const Pose& pose = solution.frameAt(e.frame)->pose;
      e.reprojected = lens.distort(pose.toCamera(track.point).hnormalized());
      e.error_px = (e.reprojected - shot.tracks.find(track.id)->at(e.frame)->position).norm();
    }
  }
  return solution;
}

TEST(ResidualField, AWrongLensShowsAsAPatternThatPointsFromTheMiddle) {
  const SyntheticShot shot = shotWith(1, 0.3);
  Lens wrong = shot.plan.lens;
  wrong.k1() += 0.01;
  const ResidualField field = residualField(solvedWith(shot, wrong), shot.tracks);
  EXPECT_EQ(field.cell_px, 80);
  ASSERT_GT(field.clearCells(), 20);
  int outward = 0, clear = 0;
  for (const FieldCell& cell : field.cells) {
    const Vec2 away = cell.middle - Vec2(640, 360);
    if (cell.sigmas < kClearCell_sigmas || away.norm() < 250) continue;
    ++clear;
    outward += cell.mean.dot(away) > 0.8 * cell.mean.norm() * away.norm() ? 1 : 0;
    // k1 bends by k1 r^3: what the truth says of the middle of the cell.
    const double r = away.norm() / 1100;
    EXPECT_NEAR(cell.mean.norm(), 1100 * 0.01 * r * r * r, 0.6 * 1100 * 0.01 * r * r * r + 0.15) << cell.middle.transpose();
  }
  EXPECT_GT(clear, 15);
  EXPECT_GT(outward, 0.9 * clear);
  EXPECT_GT(field.longest(), 0.5);
}

TEST(ResidualField, NoiseAloneIsClearHardlyAnywhere) {
  int clear = 0, cells = 0;
  for (std::uint64_t seed = 1; seed <= 12; ++seed) {
    const SyntheticShot shot = shotWith(seed, 0.5);
    const ResidualField field = residualField(solvedWith(shot, shot.plan.lens), shot.tracks);
    clear += field.clearCells(), cells += static_cast<int>(field.cells.size());
    EXPECT_LT(field.longest(), 0.6);
  }
  EXPECT_GT(cells, 1000);
  EXPECT_LE(clear, cells / 200);
}

TEST(ResidualField, WhatIsSetAsideOrNotUsedIsNotInIt) {
  const SyntheticShot shot = shotWith(1, 0.3);
  Solution solution = solvedWith(shot, shot.plan.lens);
  for (SolvedTrack& track : solution.tracks) {
    if (track.id % 2 == 0) track.state = TrackState::SetAside;
    for (TrackError& e : track.errors) {
      if (track.id % 2 == 0 || e.frame % 2 == 0) e.reprojected += Vec2(50, 0);
      if (e.frame % 2 == 0) e.used = false;
    }
  }
  EXPECT_LT(residualField(solution, shot.tracks).longest(), 2);
  for (SolvedTrack& track : solution.tracks) track.state = TrackState::Unplaced;
  EXPECT_TRUE(residualField(solution, shot.tracks).cells.empty());
  EXPECT_EQ(residualField(Solution(), shot.tracks).longest(), 0);
}

}  // namespace dusky::testing
