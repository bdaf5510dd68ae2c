// A well-spread share of the tracks solves first; the others are placed and tested by it.
#include "core/solve/track_share.h"

#include <gtest/gtest.h>

#include "core/solve/sort_out.h"
#include "core/solve/warm_start.h"
#include "tests/support/synthetic_shot.h"

namespace dusky::testing {

SyntheticShot manyTracks() { return makeSyntheticShot({.frames = 40, .points = 3000, .noise_px = 0.3, .outlier_share = 0.1, .life = 20}); }

TEST(TrackShare, CoversEveryFrameWithFewTracks) {
  const SyntheticShot shot = manyTracks();
  Reconstruction work = makeReconstruction(shot.tracks, {}, 0.1, 1);
  work.lenses = {shot.plan.lens};
  restTracks(work, 100);
  std::vector<int> kept(40, 0), all(40, 0);
  std::size_t resting = 0;
  for (const WorkTrack& track : work.tracks) {
    resting += track.resting;
    EXPECT_FALSE(track.holdout && track.resting) << "holdout tracks judge";
    for (const WorkObservation& o : track.observations) ++all[o.frame_index], kept[o.frame_index] += !track.resting && !track.holdout;
  }
  EXPECT_GT(resting, work.tracks.size() / 2);
  for (int f = 0; f < 40; ++f) {
    EXPECT_GE(kept[f], std::min(70, all[f] / 2)) << f;
    EXPECT_LE(kept[f], 250) << f;
  }
}

TEST(TrackShare, NothingRestsWhereThereAreFew) {
  const SyntheticShot shot = makeSyntheticShot({.frames = 20, .points = 80});
  Reconstruction work = makeReconstruction(shot.tracks, {}, 0.1, 1);
  work.lenses = {shot.plan.lens};
  restTracks(work, 100);
  for (const WorkTrack& track : work.tracks) EXPECT_FALSE(track.resting);
}

TEST(TrackShare, WokenTracksAreWhereTheyBelongAndOutliersAreFound) {
  const SyntheticShot shot = manyTracks();
  SolveState state = finalState(perfectSolution(makeSyntheticShot({.frames = 40, .points = 3000, .life = 20})), shot.tracks, {});
  for (WorkTrack& track : state.work.tracks) track.resting = !track.holdout, track.point.reset();
  state.spread_px = 0.3, state.tolerance_px = 1.2;
  wakeTracks(state);
  int good = 0, placed_well = 0, outliers = 0, outliers_kept = 0;
  for (const WorkTrack& track : state.work.tracks) {
    if (track.holdout || track.observations.size() < 8) continue;
    EXPECT_FALSE(track.resting);
    const bool outlier = shot.outlier[static_cast<std::size_t>(track.id - 1)];
    (outlier ? outliers : good) += 1;
    outliers_kept += outlier && track.takesPart();
    if (!outlier && track.takesPart() && !track.at_infinity) placed_well += (*track.point - shot.points[static_cast<std::size_t>(track.id - 1)]).norm() < 0.3;
  }
  ASSERT_GT(outliers, 100);
  EXPECT_LT(outliers_kept, outliers / 20);
  EXPECT_GT(placed_well, 9 * good / 10);
}

}  // namespace dusky::testing
