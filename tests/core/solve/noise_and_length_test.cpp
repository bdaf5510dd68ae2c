// What explanations are held against: the noise that the tracks show by themselves, and the length of what describes them.
#include <gtest/gtest.h>

#include "core/solve/description_length.h"
#include "core/solve/noise_floor.h"
#include "tests/core/solve/explained_plans.h"

namespace dusky::testing {

TEST(NoiseFloor, IsTheNoiseWhateverTheCameraDoes) {
  SyntheticPlan zooming = walk(1), rolling = walk(2), littered = walk(3);
  zooming.focal_px = zoomIn(900, 1700, zooming.frames);
  rolling.readout = 0.35;
  littered.outlier_share = 0.2, littered.mover_share = 0.15;
  littered.mover = [](int i) { return Pose{Eigen::Quaterniond::Identity(), Vec3(0.02 * i, 0, 0)}; };
  for (const SyntheticPlan& plan : {walk(4), tripod(5), zooming, rolling, littered})
    EXPECT_NEAR(noiseFloor(makeSyntheticShot(plan).tracks), kNoise, 0.25 * kNoise);
}

TEST(NoiseFloor, IsUnknownForTooFewTracks) {
  SyntheticPlan plan = walk(1);
  plan.points = 15;
  EXPECT_TRUE(std::isnan(noiseFloor(makeSyntheticShot(plan).tracks)));
}

TEST(DescriptionLength, ASlideCostsItsUnknownsAndNotEverySighting) {
  SyntheticPlan plan = tripod(52);
  plan.slide_share = 0.2, plan.slide_px = 3;
  const SyntheticShot still = makeSyntheticShot(tripod(52)), sliding = makeSyntheticShot(plan);
  const auto lengthOf = [](const SyntheticShot& shot) {
    Reconstruction work = makeReconstruction(shot.tracks, {}, 0, 1);
    work.lenses = {shot.plan.lens};
    std::vector<int> frames;
    for (std::size_t f = 0; f < work.poses.size(); ++f) work.poses[f] = shot.poses[f], frames.push_back(static_cast<int>(f));
    return descriptionLength(work, true, frames, kNoise, 1).total();
  };
  const double tracks = 0.2 * static_cast<double>(sliding.tracks.tracks.size());
  EXPECT_GT(lengthOf(sliding), lengthOf(still) + 5 * tracks);
  EXPECT_LT(lengthOf(sliding), lengthOf(still) + 40 * tracks);
}

TEST(DescriptionLength, ThrowingSightingsOutNeverPays) {
  const SyntheticShot shot = makeSyntheticShot(walk(51));
  Reconstruction work = makeReconstruction(shot.tracks, {}, 0, 1);
  work.lenses = {shot.plan.lens};
  std::vector<int> frames;
  for (std::size_t f = 0; f < work.poses.size(); ++f) work.poses[f] = shot.poses[f], frames.push_back(static_cast<int>(f));
  const double whole = descriptionLength(work, false, frames, kNoise).total();
  Reconstruction fewer = work;
  for (std::size_t f = 0; f < fewer.poses.size(); f += 2) fewer.poses[f].reset();
  EXPECT_GT(descriptionLength(fewer, false, frames, kNoise).total(), 1.5 * whole) << "frames without a camera explain nothing";
  Reconstruction bent = work;
  for (std::size_t f = 0; f < bent.poses.size(); ++f) bent.poses[f]->centre.x() += 0.02 * std::sin(0.3 * static_cast<double>(f));
  EXPECT_GT(descriptionLength(bent, false, frames, kNoise).total(), 1.5 * whole);
}

}  // namespace dusky::testing
