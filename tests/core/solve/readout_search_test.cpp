// A rolling shutter told by the tracks alone, before any camera is known; and the search for one on tracks that are freed of it.
#include "core/solve/readout_search.h"

#include <gtest/gtest.h>

#include <cmath>

#include "core/review/reviewed_solve.h"
#include "core/review/verdict.h"
#include "tests/support/judge_by_truth.h"
#include "tests/support/random_shot.h"

namespace dusky::testing {

SyntheticPlan handheld(double readout) {
  SyntheticPlan plan{.frames = 60, .points = 420, .noise_px = 0.1, .life = 30, .seed = 6};
  plan.path = [](int i) { return walkingOn(i, 0.06); };
  plan.readout = readout;
  return plan;
}

/// RMS distance of the sightings that both sets have.
double apart(const TrackSet& a, const TrackSet& b) {
  double squares = 0, count = 0;
  for (const Track& track : a.tracks) {
    const Track* other = b.find(track.id);
    for (const Observation& o : track.observations) {
      const Observation* same = other ? other->at(o.frame) : nullptr;
      if (same) squares += (o.position - same->position).squaredNorm(), count += 1;
    }
  }
  return std::sqrt(squares / count);
}

TEST(WithoutRolling, GivesWhatAShutterWouldShowThatReadsAllRowsAtOnce) {
  SyntheticPlan rolling = handheld(0.4), still = handheld(0);
  rolling.noise_px = still.noise_px = 0;
  const TrackSet seen = makeSyntheticShot(rolling).tracks, truth = makeSyntheticShot(still).tracks;
  const double before = apart(seen, truth);
  EXPECT_GT(before, 0.8);
  EXPECT_LT(apart(withoutRolling(seen, 0.4), truth), 0.15 * before);
  EXPECT_EQ(apart(withoutRolling(seen, 0), seen), 0);
  EXPECT_GT(apart(withoutRolling(seen, -0.4), truth), 1.5 * before) << "the other way it doubles";
}

TEST(ReadoutSearch, TellsTheReadoutFromTheTracksAlone) {
  for (const double readout : {0.2, 0.4, 0.6}) {
    const ReadoutFound found = findReadout(makeSyntheticShot(handheld(readout)).tracks);
    EXPECT_TRUE(found.clear()) << readout;
    EXPECT_NEAR(found.readout, readout, 0.1) << "a start: the solve finds the rest";
    EXPECT_GT(found.gain, 0.05);
  }
  SyntheticPlan upwards = handheld(-0.3);
  EXPECT_NEAR(findReadout(makeSyntheticShot(upwards).tracks).readout, -0.3, 0.08) << "read from below";
}

TEST(ReadoutSearch, AZoomDoesNotBendIt) {
  SyntheticPlan plan = handheld(0.35);
  plan.focal_px = [](int i) { return 1000 * std::pow(1.6, i / 59.0); };
  plan.outlier_share = 0.1;
  const ReadoutFound found = findReadout(makeSyntheticShot(plan).tracks);
  EXPECT_TRUE(found.clear());
  EXPECT_NEAR(found.readout, 0.35, 0.1);
}

TEST(ReadoutSearch, ClaimsNothingWhereNothingRolls) {
  EXPECT_FALSE(findReadout(makeSyntheticShot(handheld(0)).tracks).clear());
  for (std::uint64_t seed = 1; seed <= 40; ++seed) {
    RandomShot random = randomShot(seed);
    if (random.plan.readout != 0) continue;
    const ReadoutFound found = findReadout(makeSyntheticShot(random.plan).tracks);
    EXPECT_FALSE(found.clear()) << seed << " " << random.text() << ": " << found.readout << ", " << found.gain << ", " << found.sigmas;
  }
}

TEST(ReadoutSearch, EvenedOutNoiseIsNoSlowShutter) {
  // Sightings moved half a frame along their tracks are means of two: less noise, whatever the shutter did. Shots on which that once passed for a readout of
  // 0.7 to 1, the last two under a shutter of 0.3.
  for (const std::uint64_t seed : {110540, 110574, 110614, 110637, 110659, 110681, 110100, 110612}) {
    const RandomShot random = randomShot(seed);
    const ReadoutFound found = findReadout(makeSyntheticShot(random.plan).tracks);
    EXPECT_TRUE(!found.clear() || std::abs(found.readout - random.plan.readout) < 0.1) << seed << " " << random.text() << ": " << found.readout;
  }
  // And with noise so large that it is all there is to see.
  SyntheticPlan plan = handheld(0);
  plan.noise_px = 1.5;
  EXPECT_FALSE(findReadout(makeSyntheticShot(plan).tracks).clear());
}

TEST(ReadoutSearch, TooFewTracksTellNothing) {
  SyntheticPlan plan = handheld(0.4);
  plan.points = 20, plan.life = 0;
  EXPECT_FALSE(findReadout(makeSyntheticShot(plan).tracks).clear());
  EXPECT_FALSE(findReadout(TrackSet{}).clear());
}

TEST(ReadoutSearch, AZoomOnADollyUnderARollingShutterIsSolvedAndTrusted) {
  const RandomShot random = randomShot(7012);
  ASSERT_TRUE(random.zoom > 1 && random.plan.readout > 0) << random.text();
  const SyntheticShot shot = makeSyntheticShot(random.plan);
  const auto solved = reviewedSolve(shot.tracks, {}, {});
  ASSERT_TRUE(solved.ok()) << solved.error().message;
  const auto truth = judgeByTruth(shot, **solved);
  ASSERT_TRUE(truth.ok());
  EXPECT_LT(truth->slip_rms_px, 0.4);
  EXPECT_NEAR((*solved)->readout, random.plan.readout, 0.02);
  EXPECT_TRUE((*solved)->zooms());
  EXPECT_EQ(judgeSolution(**solved).level, TrustLevel::Trust) << judgeSolution(**solved).sentence;
}

}  // namespace dusky::testing
