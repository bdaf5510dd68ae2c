// A holdout track on the horizon once kept its place from an earlier world when it could not be placed anew; the world had moved on, its error became huge, and
// the staircase threw out lens parameters that helped. Far points must be placed, or not counted.
#include <gtest/gtest.h>

#include "core/base/random.h"
#include "core/geometry/triangulation.h"
#include "core/solve/sort_out.h"
#include "tests/support/synthetic_shot.h"

namespace dusky::testing {

std::vector<Sighting> sightingsOf(const Vec3& point, double noise, std::uint64_t seed) {
  Random random(seed);
  std::vector<Sighting> sightings;
  for (int i = 0; i < 12; ++i) {
    const Pose camera{rotationFromVector(Vec3(0, 0.01 * i, 0)), Vec3(0.1 * i, 0.02 * i, 0)};
    sightings.push_back({camera, (camera.toCamera(point).hnormalized() + noise * Vec2(random.normal(), random.normal())).homogeneous().normalized()});
  }
  return sightings;
}

TEST(FarPoints, AreFoundAheadWhateverTheNoise) {
  // 3000 units away with a path of 1.1: the noise alone makes the rays part or cross at random.
  for (std::uint64_t seed = 1; seed <= 100; ++seed) {
    const auto sightings = sightingsOf(Vec3(200, 50, 3000), 2e-4, seed);
    const auto found = triangulate(sightings);
    ASSERT_TRUE(found.has_value()) << "seed " << seed;
    double worst = 0;
    for (const Sighting& s : sightings) {
      const Vec3 p = s.camera.toCamera(found->point);
      ASSERT_GT(p.z(), 0);
      worst = std::max(worst, (p.normalized() - s.ray).norm());
    }
    EXPECT_LT(worst, 1.5e-3) << "seed " << seed;  // seven sigma
  }
}

TEST(FarPoints, AKnownPlaceIsAStartNotAnAnswer) {
  const Vec3 truth(0.5, 0.2, 6);
  const auto found = triangulate(sightingsOf(truth, 0, 1), Vec3(4, -3, 40));
  ASSERT_TRUE(found.has_value());
  EXPECT_LT((found->point - truth).norm(), 1e-6);
}

TEST(FarPoints, HoldoutTracksAreJudgedInTheWorldAsItIsNow) {
  const SyntheticShot shot = makeSyntheticShot({.frames = 12, .points = 60, .noise_px = 0.1});
  Reconstruction work = makeReconstruction(shot.tracks, {}, 0.3, 1);
  work.lenses = {shot.plan.lens};
  for (std::size_t f = 0; f < shot.poses.size(); ++f) work.poses[f] = shot.poses[f];
  placeTracks(work, true, 0);
  placeHoldout(work);
  const Judgement before = measured(work);
  // The whole world moves and grows; only the holdout tracks stay behind, as they take no part in an adjustment.
  const Similarity moved{1.7, rotationFromVector(Vec3(0.2, 0.1, -0.3)), Vec3(5, 1, -2)};
  for (auto& camera : work.poses) camera = moved * *camera;
  for (WorkTrack& track : work.tracks) {
    if (!track.holdout && track.point) track.point = moved * *track.point;
  }
  placeHoldout(work);
  const Judgement after = measured(work);
  EXPECT_GT(before.holdout_kept, 8);
  EXPECT_NEAR(after.holdout_rms_px, before.holdout_rms_px, 1e-6);
  EXPECT_NEAR(after.rms_px, before.rms_px, 1e-6);
}
}  // namespace dusky::testing
