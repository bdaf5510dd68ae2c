#include "core/track/same_tracks.h"

#include <gmock/gmock.h>
#include <gtest/gtest.h>

#include "core/base/random.h"

namespace dusky::testing {
using ::testing::ElementsAre;
using ::testing::IsEmpty;
using ::testing::Pair;

/// A track that moves evenly to the right.
Track moving(int id, int first, int last, const Vec2& begin) {
  Track track{.id = id};
  for (int frame = first; frame <= last; ++frame) track.observations.push_back({.frame = frame, .position = begin + Vec2(2.0 * frame, 0)});
  return track;
}

TrackSet setOf(std::vector<Track> tracks) {
  TrackSet set{.width = 640, .height = 360, .first_frame = 1, .last_frame = 40};
  set.tracks = std::move(tracks);
  return set;
}

TEST(SameTracks, FindsTheFeatureAgainUnderAnotherNumber) {
  const TrackSet before = setOf({moving(1, 1, 30, {50, 50}), moving(2, 1, 30, {60, 50}), moving(3, 5, 40, {200, 90})});
  const TrackSet after = setOf({moving(7, 1, 20, {60.8, 50.3}), moving(8, 10, 35, {50.2, 49.6}), moving(9, 1, 40, {300, 90})});
  EXPECT_THAT(sameTracks(before, {1, 2, 3}, after), ElementsAre(Pair(1, 8), Pair(2, 7))) << "the third is followed no longer";
  EXPECT_THAT(sameTracks(before, {77}, after), IsEmpty());
  const TrackSet numbered_on = setOf({moving(7, 1001, 1030, {50 - 2000, 50})});
  EXPECT_THAT(sameTracks(before, {1}, numbered_on, 1000), ElementsAre(Pair(1, 7)));
}

TEST(SameTracks, TwoNeverBecomeOneAndTheNearerHasIt) {
  const TrackSet before = setOf({moving(1, 1, 30, {50, 50}), moving(2, 1, 30, {51.5, 50})});
  EXPECT_THAT(sameTracks(before, {1, 2}, setOf({moving(4, 1, 30, {51.2, 50})})), ElementsAre(Pair(2, 4)));
}

TEST(SameTracks, ThousandsAreFoundAmongThousands) {
  Random random(3);
  std::vector<Track> before, after;
  std::vector<int> ids;
  constexpr int kColumns = 60, kTracks = 3000;
  for (int i = 0; i < kTracks; ++i) {
    const int first = 1 + random.index(20), last = first + 10 + random.index(10);
    const Vec2 begin(11.0 * (i % kColumns), 11.0 * (i / kColumns));
    before.push_back(moving(i + 1, first, last, begin));
    after.push_back(moving(1 + (i * 7) % kTracks, first + 1, last + 3, begin + Vec2(random.normal(), random.normal()) * 0.4));
    ids.push_back(i + 1);
  }
  std::sort(after.begin(), after.end(), [](const Track& a, const Track& b) { return a.id < b.id; });
  const auto same = sameTracks(setOf(before), ids, setOf(after));
  ASSERT_EQ(same.size(), ids.size());
  for (const auto& [id, other] : same) EXPECT_EQ(other, 1 + ((id - 1) * 7) % kTracks);
}

TEST(SameTracks, AMeetingOfAFewFramesIsNotEnough) {
  const TrackSet before = setOf({moving(1, 1, 30, {50, 50})});
  EXPECT_THAT(sameTracks(before, {1}, setOf({moving(4, 28, 40, {50, 50})})), IsEmpty()) << "3 of 13 frames";
  EXPECT_THAT(sameTracks(before, {1}, setOf({moving(4, 31, 40, {50, 50})})), IsEmpty());
}

}  // namespace dusky::testing
