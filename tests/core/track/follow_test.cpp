// Tracking as a whole on a plane whose exact motion is known: both ways in time, masks, frames left out, tracks that come back.
#include <gmock/gmock.h>
#include <gtest/gtest.h>

#include "core/track/follow_features.h"
#include "core/track/frame_reader.h"
#include "core/track/rejoin.h"
#include "tests/support/plane_shot.h"

namespace dusky::testing {
using ::testing::Each;
using ::testing::Ge;

PlanePlan smallPlan(int frames) {
  PlanePlan plan;
  plan.width = 480, plan.height = 270, plan.frames = frames;
  plan.zoom = 1.15, plan.roll_rad = 0.1, plan.pan_px = Vec2(60, -15), plan.noise = 1;
  return plan;
}

/// Largest distance of any place of a track from where its birth's place truly went.
double worstError(const PlaneShot& shot, const Track& track) {
  const Observation* birth = track.at(track.born());
  double worst = 0;
  for (const Observation& o : track.observations)
    worst = std::max(worst, (o.position - shot.carry(shot.layerAt(birth->frame, birth->position), birth->frame, o.frame, birth->position)).norm());
  return worst;
}

TEST(FollowFeatures, GrowsBothWaysFromWhereAFeatureWasFoundAndStaysExact) {
  PlaneShot shot(smallPlan(16));
  const auto tracks = followFeatures(shot, {.features = 150}, {});
  ASSERT_TRUE(tracks.ok()) << tracks.error().message;
  int grown_back = 0;
  for (const Track& track : (*tracks)->tracks) {
    grown_back += track.firstFrame() < track.born();
    EXPECT_LT(worstError(shot, track), 0.5) << track.id;
  }
  EXPECT_GT(grown_back, 20);
  const auto one_way = followFeatures(shot, {.features = 150, .both_ways = false}, {});
  ASSERT_TRUE(one_way.ok());
  for (const Track& track : (*one_way)->tracks) EXPECT_EQ(track.firstFrame(), track.born());
}

TEST(FollowFeatures, TheWayBackDoesNotDependOnHowManyFramesAreKept) {
  PlaneShot shot(smallPlan(12));
  const auto all = followFeatures(shot, {.features = 100}, {});
  const auto three = followFeatures(shot, {.features = 100}, {}, {.keep_bytes = 3 * 480 * 270 * 2});
  ASSERT_TRUE(all.ok() && three.ok());
  EXPECT_EQ((*all)->tracks, (*three)->tracks);
}

TEST(FollowFeatures, LooksOnlyAtTheFramesItIsGiven) {
  PlaneShot shot(smallPlan(20));
  const auto tracks = followFeatures(shot, {.first_frame = 2, .last_frame = 20, .features = 80, .min_life = 3}, {}, {.step = 3, .left_out = {8}});
  ASSERT_TRUE(tracks.ok()) << tracks.error().message;
  EXPECT_EQ((*tracks)->used_frames, (std::vector<int>{2, 5, 11, 14, 17, 20}));
  EXPECT_EQ((*tracks)->frames(), 6);
  EXPECT_EQ((*tracks)->indexOf(11), 2);
  EXPECT_EQ((*tracks)->indexOf(8), -1);
  EXPECT_EQ((*tracks)->frameAt(3), 14);
  for (const Track& track : (*tracks)->tracks) {
    for (const Observation& o : track.observations) EXPECT_GE((*tracks)->indexOf(o.frame), 0);
  }
}

/// The left half of every frame is left out, from a frame on also a stripe that tracks run into.
class HalfMasked final : public FrameMasks {
 public:
  Result<LeftOut> leftOut(int frame) override {
    LeftOut plane(480, 270);
    for (int y = 0; y < 270; ++y) {
      for (int x = 0; x < 480; ++x) plane.at(x, y) = x < 160 || (frame > 6 && x > 400);
    }
    return plane;
  }
};

TEST(FollowFeatures, NothingIsTrackedBehindAMask) {
  PlaneShot shot(smallPlan(12));
  HalfMasked masks;
  const auto tracks = followFeatures(shot, {.features = 120}, {}, {.masks = &masks});
  ASSERT_TRUE(tracks.ok());
  int stopped_by_mask = 0;
  for (const Track& track : (*tracks)->tracks) {
    stopped_by_mask += track.stop == StopReason::Masked || track.start == StopReason::Masked;
    for (const Observation& o : track.observations) {
      EXPECT_GT(o.position.x(), 158);
      if (o.frame > 6) EXPECT_LT(o.position.x(), 402);
    }
  }
  EXPECT_GT(stopped_by_mask, 5);
}

TEST(FollowFeatures, ASecondRunAddsInsideItsRegionAndKeepsWhatIsThere) {
  PlaneShot shot(smallPlan(10));
  const auto first = followFeatures(shot, {.features = 40}, {});
  ASSERT_TRUE(first.ok());
  const std::vector<Vec2> region = {{250, 60}, {460, 60}, {460, 250}, {250, 250}};
  const auto both = followFeatures(shot, {.features = 300}, {}, {.region = region, .existing = first->get()});
  ASSERT_TRUE(both.ok());
  ASSERT_GT((*both)->tracks.size(), (*first)->tracks.size() + 10);
  for (std::size_t i = 0; i < (*both)->tracks.size(); ++i) {
    const Track& track = (*both)->tracks[i];
    if (i < (*first)->tracks.size()) {
      EXPECT_EQ(track, (*first)->tracks[i]);
      continue;
    }
    EXPECT_GT(track.id, (*first)->tracks.back().id);
    const Vec2 birth = track.at(track.born())->position;
    EXPECT_TRUE(birth.x() > 249 && birth.x() < 461 && birth.y() > 59 && birth.y() < 251) << birth.transpose();
  }
}

TEST(FollowFeatures, WhatWasHiddenIsJoinedAgainAndRightly) {
  PlanePlan plan = smallPlan(40);
  plan.width = 640, plan.height = 360, plan.mover_share = 0.15, plan.zoom = 1.05, plan.roll_rad = 0.05;
  PlaneShot shot(plan);
  const auto apart = followFeatures(shot, {.features = 350, .rejoin = false}, {});
  const auto joined = followFeatures(shot, {.features = 350}, {});
  ASSERT_TRUE(apart.ok() && joined.ok());
  EXPECT_GT((*joined)->summary.rejoined, 3);
  EXPECT_LT((*joined)->tracks.size(), (*apart)->tracks.size());
  int with_gap = 0, wrong = 0;
  for (const Track& track : (*joined)->tracks) {
    if (track.lastFrame() - track.firstFrame() + 1 == track.life()) continue;
    ++with_gap;
    wrong += worstError(shot, track) > 1;
  }
  EXPECT_GT(with_gap, 3);
  EXPECT_EQ(wrong, 0);
}

TEST(Descriptor, IsTheSameWhenThePictureIsTurnedAndUnlikeElsewhere) {
  PlanePlan plan = smallPlan(2);
  plan.zoom = 1, plan.roll_rad = 0.6, plan.pan_px = Vec2::Zero(), plan.shake_px = 0, plan.noise = 2;
  PlaneShot shot(plan);
  const FloatPlane a = soften(shot.read(1)->luma), b = soften(shot.read(2)->luma);
  int least_unlike = 1 << 30, near = 0, places = 0;
  for (const Vec2& place : {Vec2(180, 120), Vec2(240, 135), Vec2(300, 150), Vec2(260, 100), Vec2(220, 170), Vec2(200, 140)}) {
    const Vec2 there = shot.carry(0, 1, 2, place);
    const auto here = describeAt(a, place.cast<float>(), 14), same = describeAt(b, there.cast<float>(), 14);
    const auto other = describeAt(b, there.cast<float>() + Eigen::Vector2f(30, -20), 14);
    ASSERT_TRUE(here && same && other);
    ++places;
    near += here->distanceTo(*same) < 60000;
    least_unlike = std::min(least_unlike, here->distanceTo(*other));
  }
  EXPECT_GE(near, places - 1) << "one may have two main directions";
  EXPECT_GT(least_unlike, 100000);
  EXPECT_FALSE(describeAt(a, {5, 5}, 14));
  EXPECT_FALSE(describeAt(FloatPlane(100, 100, 9.0f), {50, 50}, 14));
}

TEST(LumaStore, KeepsTheNewestThatFit) {
  LumaStore store(3 * 20 * 10 * 2);
  for (int n = 1; n <= 5; ++n) {
    LumaStore::Kept kept{{}, Plane<std::int16_t>(20, 10, static_cast<std::int16_t>(64 * (n + 40) + 16)), static_cast<double>(n)};
    store.keep(n, std::move(kept));
  }
  EXPECT_FALSE(store.has(2));
  ASSERT_TRUE(store.has(4));
  const PreparedFrame frame = store.take(4);
  EXPECT_FLOAT_EQ(frame.pyramid.base().at(3, 3), 44.25f);
  EXPECT_EQ(frame.sharpness, 4);
  EXPECT_EQ(frame.number, 4);
  EXPECT_FALSE(store.has(4));
  EXPECT_EQ(store.capacity(), 3);
}

TEST(LumaStore, BytesComeBackAsTheLumaTheyStandFor) {
  LumaStore store(4 * 20 * 10);
  LumaBytes bytes{Plane<std::uint8_t>(20, 10, 126), 16, 255.0f / 219.0f};
  bytes.values.at(4, 4) = 142;
  FloatPlane luma(20, 10);
  for (std::size_t i = 0; i < luma.data.size(); ++i) luma.data[i] = bytes.scale * (static_cast<float>(bytes.values.data[i]) - bytes.black);
  store.keep(1, {bytes, {}, 7});
  EXPECT_EQ(store.capacity(), 4) << "a byte a pixel";
  const PreparedFrame frame = store.take(1);
  const FloatPlane expected = soften(luma);
  for (std::size_t i = 0; i < luma.data.size(); ++i) ASSERT_NEAR(frame.pyramid.base().data[i], expected.data[i], 1e-4);
  EXPECT_EQ(frame.sharpness, 7);
}

}  // namespace dusky::testing
