// Pictures over 2048 px wide: followed in a smaller one, placed at full size.
#include <gmock/gmock.h>
#include <gtest/gtest.h>

#include "core/base/numbers.h"
#include "core/track/large_pictures.h"
#include "tests/support/plane_shot.h"

namespace dusky::testing {

PlanePlan largePlan() {
  PlanePlan plan;
  plan.width = 2304, plan.height = 400, plan.frames = 6;
  plan.zoom = 1.08, plan.roll_rad = 0.05, plan.pan_px = Vec2(80, -20), plan.noise = 1;
  return plan;
}

PlaneShot& largeShot() {
  static PlaneShot shot(largePlan());
  return shot;
}

/// Distances of all places from where the first one of their track truly went.
std::vector<double> errorsOf(const PlaneShot& shot, const TrackSet& tracks, double by = 1) {
  std::vector<double> errors;
  for (const Track& track : tracks.tracks) {
    const Observation& first = track.observations.front();
    const Vec2 from = by * first.position;
    for (const Observation& o : track.observations) errors.push_back((by * o.position - shot.carry(0, first.frame, o.frame, from)).norm());
  }
  return errors;
}

/// The right half of every frame.
class RightHalf final : public FrameMasks {
 public:
  Result<LeftOut> leftOut(int) override {
    LeftOut out(2304, 400);
    for (int y = 0; y < out.height; ++y) std::fill(out.row(y) + 1152, out.row(y) + 2304, std::uint8_t{1});
    return out;
  }
};

TEST(LargePictures, AreFollowedSmallAndPlacedAtFullSize) {
  PlaneShot& shot = largeShot();
  RightHalf masks;
  ASSERT_EQ(trackedReduction(2304), 2);
  EXPECT_EQ(trackedReduction(2048), 1);
  EXPECT_EQ(trackedReduction(7680), 4);
  const auto tracks = followFeatures(shot, {.features = 150}, {}, {.masks = &masks});
  ASSERT_TRUE(tracks.ok()) << tracks.error().message;
  EXPECT_EQ((*tracks)->width, 2304);
  ASSERT_GT((*tracks)->tracks.size(), 60u);
  for (const Track& track : (*tracks)->tracks) EXPECT_LT(track.at(track.born())->position.x(), 1152);
  std::vector<double> errors = errorsOf(shot, **tracks);
  EXPECT_LT(median(errors), 0.06) << "px of the full size";
  std::sort(errors.begin(), errors.end());
  EXPECT_LT(errors[errors.size() * 99 / 100], 0.6);
}

TEST(LargePictures, FullSizePlacesBetterThanTheReducedPicture) {
  PlaneShot& shot = largeShot();
  const auto refined = followFeatures(shot, {.features = 120}, {});
  // The same shot seen through half as many pixels, scaled up again.
  PlanePlan half = largePlan();
  half.width /= 2, half.height /= 2, half.pan_px /= 2, half.shake_px /= 2;
  PlaneShot small(half);
  const auto coarse = followFeatures(small, {.features = 120}, {});
  ASSERT_TRUE(refined.ok() && coarse.ok());
  const std::vector<double> own = errorsOf(small, **coarse);
  EXPECT_LT(median(errorsOf(shot, **refined)), 2 * median(own)) << "px of the full size against twice those of the half";
}

TEST(LargePictures, AddedTracksLeaveTheOthersAsTheyAre) {
  PlaneShot& shot = largeShot();
  const auto first = followFeatures(shot, {.features = 60}, {});
  ASSERT_TRUE(first.ok());
  const auto more = followFeatures(shot, {.features = 140}, {}, {.existing = first->get()});
  ASSERT_TRUE(more.ok());
  ASSERT_GT((*more)->tracks.size(), (*first)->tracks.size());
  EXPECT_TRUE(std::equal((*first)->tracks.begin(), (*first)->tracks.end(), (*more)->tracks.begin()));
}

TEST(LargePictures, CancelGivesWhatIsThere) {
  PlaneShot& shot = largeShot();
  std::stop_source source;
  const Progress progress(
      [&](const ProgressState& state) {
        if (state.what.find("full size") != std::string::npos) source.request_stop();
      },
      source.get_token());
  const auto tracks = followFeatures(shot, {.features = 60}, progress);
  ASSERT_TRUE(tracks.ok());
  EXPECT_EQ((*tracks)->summary.termination, Termination::Cancelled);
}

}  // namespace dusky::testing
