// Tracks that count more or less than others.
#include <gmock/gmock.h>
#include <gtest/gtest.h>

#include "core/base/random.h"
#include "core/solve/solve_shot.h"
#include "tests/support/judge_by_truth.h"
#include "tests/support/synthetic_shot.h"

namespace dusky::testing {
using ::testing::HasSubstr;

/// A walk in which two of three tracks are known to be rougher than the others, by `times`.
SyntheticShot unevenShot(std::uint64_t seed, double times, std::vector<TrackWeight>& weights) {
  constexpr double kNoise = 0.1;
  SyntheticShot shot = makeSyntheticShot({.frames = 24, .points = 150, .noise_px = kNoise, .life = 20, .seed = seed});
  Random random(seed + 100);
  for (Track& track : shot.tracks.tracks) {
    if (track.id % 3 == 0) continue;
    const double more = kNoise * std::sqrt(times * times - 1);
    for (Observation& o : track.observations) o.position += more * Vec2(random.normal(), random.normal());
    weights.push_back({track.id, 1 / (times * times)});
  }
  return shot;
}

TEST(TrackWeights, OfWhatIsKnownOfTheNoiseMakeTheCameraTruer) {
  double plain = 0, weighted = 0;
  constexpr int kShots = 6;
  for (std::uint64_t seed = 1; seed <= kShots; ++seed) {
    SolveOptions options{.lens = LensChoice::None};
    const SyntheticShot shot = unevenShot(seed, 4, options.weights);
    const auto without = solveShot(shot.tracks, {.lens = LensChoice::None}, {}), with = solveShot(shot.tracks, options, {});
    ASSERT_TRUE(without.ok() && with.ok());
    plain += judgeByTruth(shot, **without)->slip_rms_px / kShots;
    weighted += judgeByTruth(shot, **with)->slip_rms_px / kShots;
  }
  EXPECT_LT(weighted, 0.75 * plain);
}

TEST(TrackWeights, OfOneChangeNothing) {
  std::vector<TrackWeight> ones;
  const SyntheticShot shot = unevenShot(2, 2, ones);
  for (TrackWeight& one : ones) one.weight = 1;
  const auto without = solveShot(shot.tracks, {}, {}), with = solveShot(shot.tracks, {.weights = ones}, {});
  ASSERT_TRUE(without.ok() && with.ok());
  EXPECT_EQ((*with)->rms_px, (*without)->rms_px);
  for (std::size_t f = 0; f < (*with)->frames.size(); ++f) EXPECT_EQ((*with)->frames[f].pose.centre, (*without)->frames[f].pose.centre);
}

TEST(TrackWeights, BeyondAllMeasureAreRefused) {
  const SyntheticShot shot = makeSyntheticShot({.frames = 10, .points = 80});
  for (const double weight : {0.0, -1.0, 1e9, std::numeric_limits<double>::quiet_NaN()}) {
    const auto refused = solveShot(shot.tracks, {.weights = {{7, weight}}}, {});
    ASSERT_FALSE(refused.ok()) << weight;
    EXPECT_THAT(refused.error().message, HasSubstr("track 7"));
  }
}

}  // namespace dusky::testing
