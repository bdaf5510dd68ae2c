// Tracks by hand: the points that features mark, following between keys, and what is done to automatic tracks afterwards.
#include <gmock/gmock.h>
#include <gtest/gtest.h>

#include <cmath>
#include <numeric>

#include "core/image/pyramid.h"
#include "core/track/coverage.h"
#include "core/track/feature_points.h"
#include "core/track/follow_features.h"
#include "core/track/frame_pair.h"
#include "core/track/hand_search.h"
#include "core/track/track_edits.h"
#include "tests/support/plane_shot.h"

namespace dusky::testing {
using ::testing::HasSubstr;
using Vec = Eigen::Vector2f;

/// A picture of a function of place, averaged over each pixel.
template <class Value>
FloatPlane pictureOf(int width, int height, const Value& value) {
  FloatPlane plane(width, height);
  constexpr int kSamples = 5;
  for (int y = 0; y < height; ++y) {
    for (int x = 0; x < width; ++x) {
      double sum = 0;
      for (int j = 0; j < kSamples; ++j) {
        for (int i = 0; i < kSamples; ++i) sum += value(x + (i + 0.5) / kSamples, y + (j + 0.5) / kSamples);
      }
      plane.at(x, y) = static_cast<float>(sum / (kSamples * kSamples));
    }
  }
  return soften(plane);  // as tracking sees it
}

TEST(FeaturePoints, TheMiddleOfADotIsFoundEvenOnAShadedWall) {
  const Vec truth(40.37f, 31.81f);
  for (const double radius : {3.0, 5.5}) {
    const auto plane = pictureOf(80, 64, [&](double x, double y) {
      const double r = std::hypot(x - truth.x(), y - truth.y());
      return 120 + 0.4 * x + (r < radius ? -70 : 0);
    });
    const auto found = symmetryCentre(plane, truth + Vec(1.6f, -1.2f), 9);
    ASSERT_TRUE(found) << radius;
    EXPECT_LT((*found - truth).norm(), 0.06) << radius;
  }
}

TEST(FeaturePoints, WhereLinesCrossIsFoundFromBesideIt) {
  const Vec truth(33.62f, 29.18f);
  const auto near_line = [&](double x, double y, double angle) {
    return std::abs((x - truth.x()) * std::sin(angle) - (y - truth.y()) * std::cos(angle)) < 1.3;
  };
  const auto plane = pictureOf(70, 60, [&](double x, double y) { return near_line(x, y, 0.3) || near_line(x, y, 1.7) ? 210.0 : 60.0; });
  const auto found = junctionPoint(plane, truth + Vec(-2.1f, 1.3f), 9);
  ASSERT_TRUE(found);
  EXPECT_LT((*found - truth).norm(), 0.08);
}

TEST(FeaturePoints, NothingIsFoundOnAFlatWallOrAlongAnEdge) {
  EXPECT_FALSE(junctionPoint(FloatPlane(60, 60, 90.0f), Vec(30, 30), 8));
  const auto edge = pictureOf(60, 60, [](double x, double) { return x < 30.4 ? 40.0 : 160.0; });
  EXPECT_FALSE(junctionPoint(edge, Vec(30, 30), 8));
  EXPECT_FALSE(symmetryCentre(edge, Vec(30, 30), 8));
  EXPECT_FALSE(junctionPoint(edge, Vec(4, 30), 8)) << "the window leaves the picture";
}

TEST(HandSearch, FindsAPieceThatJumped) {
  const FloatPlane texture = deadLeaves(300, 220, 4);
  FloatPlane moved(300, 220, 20.0f);
  for (int y = 0; y < 180; ++y) {
    for (int x = 0; x < 270; ++x) moved.at(x, y) = 1.3f * texture.at(x + 27, y + 16) - 12;
  }
  const auto found = searchAround(texture, Vec(150, 110), moved, Vec(150, 110), {.pattern_px = 9, .search_px = 35});
  ASSERT_TRUE(found);
  EXPECT_LT((*found - Vec(123, 94)).norm(), 0.4) << "near enough to align from";
  EXPECT_FALSE(searchAround(texture, Vec(3, 110), moved, Vec(3, 110), {}));
}

PlanePlan handPlan(int frames) {
  PlanePlan plan;
  plan.width = 480, plan.height = 270, plan.frames = frames;
  plan.zoom = 1.2, plan.roll_rad = 0.12, plan.pan_px = Vec2(60, -20), plan.noise = 1;
  return plan;
}

std::vector<int> upTo(int last) {
  std::vector<int> frames(static_cast<std::size_t>(last));
  std::iota(frames.begin(), frames.end(), 1);
  return frames;
}

/// A place with texture that stays in the picture.
Vec2 goodPlace(PlaneShot& shot, int frame) {
  const auto features = candidatesIn(preparedPyramid(shot.read(frame)->luma), {.features = 60}, {});
  for (const Feature& f : features) {
    if ((f.position - Vec2(240, 135)).norm() < 70) return f.position;
  }
  return Vec2(240, 135);
}

double worstError(const PlaneShot& shot, const HandTrack& track, int from, const Vec2& place) {
  double worst = 0;
  for (const HandPoint& p : track.points) worst = std::max(worst, (p.position - shot.carry(0, from, p.frame, place)).norm());
  return worst;
}

TEST(HandTrack, FollowsBothWaysToTheEndsAndSaysSo) {
  PlaneShot shot(handPlan(20));
  const Vec2 place = goodPlace(shot, 8);
  HandTrack track{.name = "Bollard"};
  track.putKey(8, place);
  std::string note;
  const auto followed = followByHand(shot, upTo(20), track, {.frame = 8, .backward = true}, {}, &note);
  ASSERT_TRUE(followed.ok()) << followed.error().message;
  EXPECT_EQ(followed->points.size(), 20u);
  EXPECT_LT(worstError(shot, *followed, 8, place), 0.12);
  EXPECT_TRUE(followed->at(8)->keyed);
  EXPECT_FALSE(followed->at(9)->keyed);
  EXPECT_EQ(note, "On 12 frames. Back 7 frames.");
  EXPECT_EQ(followed->track().born(), 8);
  const auto one = followByHand(shot, upTo(20), track, {.frame = 8, .frames = 1}, {});
  EXPECT_EQ(one->points.size(), 2u);
}

TEST(HandTrack, BetweenTwoKeysItIsBlendedAndKeysStay) {
  PlaneShot shot(handPlan(20));
  const Vec2 place = goodPlace(shot, 4);
  HandTrack track{.name = "Bollard"};
  track.putKey(4, place);
  const Vec2 off(0.8, -0.5);  // the artist's second key is that far from the first one's point
  track.putKey(16, shot.carry(0, 4, 16, place) + off);
  std::string note;
  const auto followed = followByHand(shot, upTo(20), track, {.frame = 4}, {}, &note);
  ASSERT_TRUE(followed.ok()) << followed.error().message;
  EXPECT_EQ(followed->at(16)->position, track.at(16)->position) << "a key never moves";
  EXPECT_FALSE(followed->at(17)) << "it ends at the next key";
  const Vec2 middle = followed->at(10)->position - shot.carry(0, 4, 10, place);
  EXPECT_NEAR(middle.norm(), 0.5 * off.norm(), 0.2) << "half way, half of the difference";
  EXPECT_THAT(note, HasSubstr("to the key in frame 16"));
  HandTrack far = track;
  far.putKey(16, shot.carry(0, 4, 16, place) + Vec2(40, 25));
  const auto parted = followByHand(shot, upTo(20), far, {.frame = 4}, {}, &note);
  ASSERT_TRUE(parted.ok());
  EXPECT_THAT(note, HasSubstr("part: set a key between them"));
}

TEST(HandTrack, StopsWhereItLeavesThePictureAndSaysWhy) {
  PlanePlan plan = handPlan(30);
  plan.pan_px = Vec2(330, 0);
  PlaneShot shot(plan);
  const auto features = candidatesIn(preparedPyramid(shot.read(1)->luma), {.features = 200}, {});
  // Whichever way the picture goes, one near that side leaves.
  int left = 0;
  for (const Feature& f : features) {
    const Vec2 end = shot.carry(0, 1, 30, f.position);
    if (end.x() > -30 && end.x() < 510) continue;
    HandTrack track{.name = "Post"};
    track.putKey(1, f.position);
    std::string note;
    const auto followed = followByHand(shot, upTo(30), track, {.frame = 1}, {}, &note);
    if (!followed.ok()) continue;
    ++left;
    EXPECT_LT(followed->points.size(), 30u);
    EXPECT_LT(worstError(shot, *followed, 1, f.position), 0.5) << note;
    EXPECT_TRUE(followed->stop == StopReason::LeftPicture || followed->stop == StopReason::Lost) << note;
    if (left == 5) break;
  }
  EXPECT_GE(left, 3);
}

TEST(HandTrack, RefusesInSentences) {
  PlaneShot shot(handPlan(4));
  HandTrack track{.name = "Mast"};
  EXPECT_THAT(followByHand(shot, upTo(4), track, {.frame = 2}, {}).error().message, HasSubstr("Mast has no place in frame 2"));
  track.putKey(2, Vec2(3, 3));
  EXPECT_THAT(followByHand(shot, upTo(4), track, {.frame = 2}, {}).error().message, HasSubstr("edge is too near"));
}

TEST(HandTrack, AKeySnapsToTheFeatureButNotFarAway) {
  const auto plane = pictureOf(80, 64, [](double x, double y) { return std::hypot(x - 40.3, y - 31.6) < 4 ? 40.0 : 150.0; });
  EXPECT_LT((snapped(plane, {42, 30.5}, HandKind::Dot, 9) - Vec2(40.3, 31.6)).norm(), 0.05);
  EXPECT_EQ(snapped(plane, {42, 30.5}, HandKind::Patch, 9), Vec2(42, 30.5));
  EXPECT_EQ(snapped(plane, {12, 12}, HandKind::Dot, 9), Vec2(12, 12)) << "there is no dot";
}

Track along(int id, int first, int last, Vec2 from, Vec2 step) {
  Track track{.id = id, .born_frame = first};
  for (int f = first; f <= last; ++f) track.observations.push_back({f, from + (f - first) * step});
  return track;
}

TrackSet twoTracks() {
  TrackSet set{.width = 640, .height = 360, .first_frame = 1, .last_frame = 40};
  set.tracks = {along(1, 1, 20, {100, 100}, {2, 0}), along(2, 26, 40, {150, 100}, {2, 0}), along(3, 1, 40, {300, 50}, {0, 1})};
  set.tracks[0].stop = StopReason::Lost;
  return set;
}

TEST(TrackWork, CutsShortensJoinsAndRemovesWithoutTouchingWhatWasFollowed) {
  const TrackSet followed = twoTracks();
  TrackWork work;
  work.edits = {
      {TrackEditKind::Cut, 3, kFirstCutId, 11}, {TrackEditKind::RemovePart, kFirstCutId, 0, 31, 40}, {TrackEditKind::Join, 1, 2}, {TrackEditKind::Remove, 99}};
  const auto made = applyTrackWork(followed, work, true);
  ASSERT_EQ(made->tracks.size(), 3u);
  EXPECT_EQ(made->find(3)->lastFrame(), 10);
  EXPECT_EQ(made->find(kFirstCutId)->firstFrame(), 11);
  EXPECT_EQ(made->find(kFirstCutId)->lastFrame(), 30);
  EXPECT_EQ(made->find(1)->life(), 35);
  EXPECT_EQ(made->find(1)->stop, StopReason::EndOfFootage) << "it ends as the joined one did";
  EXPECT_FALSE(made->find(2));
  EXPECT_EQ(applyTrackWork(followed, work, false)->tracks, followed.tracks);
  work.edits = {{TrackEditKind::RemovePart, 1, 0, 1, 40}};
  EXPECT_FALSE(applyTrackWork(followed, work, true)->find(1)) << "nothing is left of it";
}

TEST(TrackWork, TracksByHandComeLastAndOnlyInFramesLookedAt) {
  TrackSet followed = twoTracks();
  followed.used_frames = {1, 3, 5, 7};
  HandTrack by_hand{.name = "Buoy"};
  for (int f = 1; f < 8; ++f) by_hand.putKey(f, {10.0 + f, 20});
  const auto made = applyTrackWork(followed, {.by_hand = {by_hand}}, false);
  ASSERT_EQ(made->tracks.back().id, kFirstHandId);
  EXPECT_EQ(made->tracks.back().life(), 4);
}

TEST(TrackWork, WhatIsApartCannotBeJoined) {
  const TrackSet set = twoTracks();
  EXPECT_TRUE(canJoin(set.tracks[0], set.tracks[1]).ok());
  const Status refused = canJoin(set.tracks[0], set.tracks[2]);
  ASSERT_FALSE(refused.ok());
  EXPECT_THAT(refused.error().message, HasSubstr("Tracks 1 and 3"));
}

TEST(FramePair, TellsInliersFromOutliersAndHowHardItLooked) {
  PlaneShot shot(handPlan(3));  // for its size alone
  TrackSet set{.width = 640, .height = 360, .first_frame = 1, .last_frame = 9};
  // A camera that moves sideways before points of many depths; every seventh track goes astray.
  for (int i = 0; i < 84; ++i) {
    const double x = 60 + 37 * i % 520, y = 40 + 53 * i % 280, depth = 2 + i % 11;
    Track track{.id = i + 1};
    for (int f = 1; f <= 9; ++f) {
      const double stray = i % 7 == 0 ? 4.0 * (f - 1) : 0;
      track.observations.push_back({f, Vec2(x + 30.0 * (f - 1) / depth, y + stray)});
    }
    set.tracks.push_back(track);
  }
  const auto pair = pairOf(set, 2, 9);
  ASSERT_TRUE(pair.ok());
  EXPECT_EQ(pair->tracks.size(), 84u);
  for (std::size_t i = 0; i < pair->tracks.size(); ++i) EXPECT_EQ(pair->agrees[i], i % 7 != 0) << i;
  EXPECT_LT(pair->rms_px, 0.01);
  EXPECT_THAT(pair->sentence(), HasSubstr("84 common tracks, 72 agree"));
  EXPECT_THAT(pair->sentence(), HasSubstr("samples of 7 drawn"));
  EXPECT_GE(pair->fit.samples, pair->fit.needed);
  EXPECT_THAT(pairOf(set, 2, 2).error().message, HasSubstr("two different frames"));
  EXPECT_THAT(pairOf(set, 2, 30).error().message, HasSubstr("Frame 30"));
}

TEST(Coverage, CountsTracksByCellAndFrame) {
  const TrackSet set = twoTracks();
  const Coverage coverage = coverageOf(set);
  EXPECT_EQ(coverage.frames.size(), 40u);
  // Track 3 stands in column 3 (240 to 320 px); at frame 1 in row 0 (0 to 60 px), at frame 40 in row 1.
  EXPECT_EQ(coverage.count(0, 3), 1);
  EXPECT_EQ(coverage.count(39, 8 + 3), 1);
  EXPECT_EQ(std::accumulate(coverage.counts.begin(), coverage.counts.end(), 0), 20 + 15 + 40);
  EXPECT_NEAR(coverage.shareWith(1, 0), 2.0 / 48, 1e-12);
}

TEST(Coverage, KnowsWhichCellsHoldTexture) {
  FloatPlane half(640, 360, 100.0f);
  const FloatPlane texture = deadLeaves(320, 360, 2);
  for (int y = 0; y < 360; ++y) std::copy_n(texture.row(y), 320, half.row(y));
  const auto cells = texturedCells(preparedPyramid(half), {});
  int textured = 0;
  for (int cell = 0; cell < 48; ++cell) {
    if (cell % 8 < 4) textured += cells[static_cast<std::size_t>(cell)];
    if (cell % 8 > 4) EXPECT_FALSE(cells[static_cast<std::size_t>(cell)]) << cell;
  }
  EXPECT_GE(textured, 21) << "a large leaf may fill a cell";
}

TEST(ExtraRuns, AddInTheRegionAndNeverTouchWhatIsThere) {
  PlaneShot shot(handPlan(14));
  const auto first = followFeatures(shot, {.features = 60, .min_strength = 60}, {});
  ASSERT_TRUE(first.ok());
  const std::vector<Vec2> region = {{100, 60}, {260, 60}, {260, 200}, {100, 200}};
  FollowScope scope{.region = region, .births = {5, 9}, .existing = first->get()};
  const auto more = followFeatures(shot, {.features = 500, .min_strength = 2}, {}, scope);
  ASSERT_TRUE(more.ok()) << more.error().message;
  const auto& before = (*first)->tracks;
  ASSERT_GT((*more)->tracks.size(), before.size() + 15);
  EXPECT_TRUE(std::equal(before.begin(), before.end(), (*more)->tracks.begin()));
  int outlived = 0;
  for (std::size_t i = before.size(); i < (*more)->tracks.size(); ++i) {
    const Track& track = (*more)->tracks[i];
    EXPECT_GE(track.born(), 5);
    EXPECT_LE(track.born(), 9);
    const Vec2 birth = track.at(track.born())->position;
    EXPECT_TRUE(birth.x() > 99 && birth.x() < 261 && birth.y() > 59 && birth.y() < 201) << birth.transpose();
    outlived += track.firstFrame() < 5 && track.lastFrame() > 9;
  }
  EXPECT_GT(outlived, 10) << "they grow as far as they can";
}

}  // namespace dusky::testing
