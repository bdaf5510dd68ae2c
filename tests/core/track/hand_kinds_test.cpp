// Tracks by hand on a made-up wall with a dot, a crossing and things that pass before it, under motion whose exact course is known.
#include <gmock/gmock.h>
#include <gtest/gtest.h>

#include <cmath>
#include <numeric>

#include "core/image/pyramid.h"
#include "core/track/hand_track.h"
#include "tests/support/plane_shot.h"

namespace dusky::testing {
using ::testing::HasSubstr;

/// A wall with painted marks that grows, turns and gets darker frame by frame; from a frame on a board covers part of it.
class MarkedWall final : public FrameSource {
 public:
  explicit MarkedWall(int frames, int covered_from = 1000) : texture_(deadLeaves(240, 160, 11)), covered_from_(covered_from) {
    info_ = {"marked wall", "made", 240, 160, 24.0, 1, frames};
  }
  const FootageInfo& info() const override { return info_; }

  Result<Frame> read(int number, FrameUse) override {
    if (number > 100) return unreadable("no such frame");
    const Eigen::Affine2d wall_from_picture = place(number).inverse();
    Frame frame{number, Picture(240, 160, Rgb{80, 80, 80}), FloatPlane(240, 160)};
    const double light = 1 - 0.02 * number;
    for (int y = 0; y < 160; ++y) {
      for (int x = 0; x < 240; ++x) {
        double sum = 0;
        for (int k = 0; k < 9; ++k) sum += wallAt(wall_from_picture * Vec2(x + (k % 3 + 0.5) / 3, y + (k / 3 + 0.5) / 3));
        frame.luma.at(x, y) = static_cast<float>(light * sum / 9);
        if (number >= covered_from_ && std::abs(x - 120) < 50) frame.luma.at(x, y) = static_cast<float>(90 + 40 * std::sin(0.9 * x) * std::sin(0.7 * y));
      }
    }
    return frame;
  }

  /// Where a place of the wall is in a frame.
  Vec2 carry(const Vec2& wall, int frame) const { return place(frame) * wall; }
  static constexpr double kDotX = 90.3, kDotY = 70.6, kCrossX = 150.4, kCrossY = 88.2;

 private:
  Eigen::Affine2d place(int frame) const {
    const double t = frame - 1;
    return Eigen::Translation2d(120 + 1.7 * t, 80 - 0.9 * t) * Eigen::Rotation2Dd(0.02 * t) * Eigen::Scaling(1 + 0.012 * t) * Eigen::Translation2d(-120, -80);
  }
  double wallAt(const Vec2& p) const {
    if (std::hypot(p.x() - kDotX, p.y() - kDotY) < 4.5) return 30;
    const double dx = p.x() - kCrossX, dy = p.y() - kCrossY;
    const bool on_cross = std::hypot(dx, dy) < 13 && (std::abs(dx) < 1.4 || std::abs(dy) < 1.4);
    if (on_cross) return 225;
    if (std::hypot(dx, dy) < 18 || std::hypot(p.x() - kDotX, p.y() - kDotY) < 13) return 120;
    const int x = std::clamp(static_cast<int>(p.x()), 0, 239), y = std::clamp(static_cast<int>(p.y()), 0, 159);
    return 60 + 0.5 * texture_.at(x, y);
  }

  FloatPlane texture_;
  int covered_from_;
  FootageInfo info_;
};

std::vector<int> frames(int last) {
  std::vector<int> all(static_cast<std::size_t>(last));
  std::iota(all.begin(), all.end(), 1);
  return all;
}

/// The artist points beside the mark; the key snaps, and the mark is followed to the end. Returns the largest distance from the mark.
double worstOf(HandKind kind, const Vec2& mark) {
  MarkedWall wall(16);
  HandTrack track{.name = "Mark", .kind = kind, .pattern_px = 10};
  const FloatPlane first = soften(wall.read(1, FrameUse::Tracking)->luma);
  track.putKey(1, snapped(first, wall.carry(mark, 1) + Vec2(2, -1.5), kind, track.pattern_px));
  std::string note;
  const auto followed = followByHand(wall, frames(16), track, {.frame = 1}, {}, &note);
  EXPECT_TRUE(followed.ok());
  if (!followed.ok()) return 99;
  EXPECT_EQ(followed->points.size(), 16u) << note;
  double worst = 0;
  for (const HandPoint& p : followed->points) worst = std::max(worst, (p.position - wall.carry(mark, p.frame)).norm());
  return worst;
}

TEST(HandKinds, ADotIsHeldByItsMiddleThroughGrowthTurnAndFadingLight) { EXPECT_LT(worstOf(HandKind::Dot, {MarkedWall::kDotX, MarkedWall::kDotY}), 0.15); }

TEST(HandKinds, ACrossingIsHeldWhereItsLinesMeet) { EXPECT_LT(worstOf(HandKind::Crossing, {MarkedWall::kCrossX, MarkedWall::kCrossY}), 0.2); }

TEST(HandKinds, APatchKeepsThePlaceItWasGiven) {
  MarkedWall wall(16);
  const Vec2 place(60.5, 110.25);
  HandTrack track{.name = "Plaster"};
  track.putKey(6, wall.carry(place, 6));
  const auto followed = followByHand(wall, frames(16), track, {.frame = 6, .backward = true}, {});
  ASSERT_TRUE(followed.ok()) << followed.error().message;
  EXPECT_EQ(followed->points.size(), 16u);
  for (const HandPoint& p : followed->points) {
    EXPECT_LT((p.position - wall.carry(place, p.frame)).norm(), 0.25) << p.frame;
    EXPECT_GT(p.likeness, 0.9) << p.frame;
  }
}

TEST(HandKinds, WhatIsCoveredStopsTheTrackAndSaysWhy) {
  MarkedWall wall(16, 9);
  const Vec2 place(120, 90);
  HandTrack track{.name = "Plaster"};
  track.putKey(1, wall.carry(place, 1));
  std::string note;
  const auto followed = followByHand(wall, frames(16), track, {.frame = 1}, {}, &note);
  ASSERT_TRUE(followed.ok());
  EXPECT_EQ(followed->points.back().frame, 8) << note;
  EXPECT_NE(followed->stop, StopReason::EndOfFootage);
  EXPECT_THAT(note, HasSubstr("On 7 frames, then"));
}

/// Leaves out all of a frame from one on.
class Curtain final : public FrameMasks {
 public:
  Result<LeftOut> leftOut(int frame) override { return LeftOut(240, 160, frame >= 7); }
};

TEST(HandKinds, AMaskStopsATrackByHandAsWell) {
  MarkedWall wall(16);
  Curtain curtain;
  HandTrack track{.name = "Mark", .kind = HandKind::Patch, .pattern_px = 10};
  track.putKey(1, wall.carry({MarkedWall::kCrossX, MarkedWall::kCrossY}, 1));
  std::string note;
  const auto followed = followByHand(wall, frames(16), track, {.frame = 1, .masks = &curtain}, {}, &note);
  ASSERT_TRUE(followed.ok());
  EXPECT_EQ(followed->points.back().frame, 6);
  EXPECT_EQ(followed->stop, StopReason::Masked) << note;
}

TEST(HandKinds, KeysOnBothSidesOfACoverFillWhatCanBeSeen) {
  MarkedWall wall(16, 9);
  const Vec2 beside(40, 100);  // the cover does not reach it
  HandTrack track{.name = "Corner"};
  track.putKey(2, wall.carry(beside, 2));
  track.putKey(14, wall.carry(beside, 14));
  const auto followed = followByHand(wall, frames(16), track, {.frame = 2}, {});
  ASSERT_TRUE(followed.ok()) << followed.error().message;
  EXPECT_EQ(followed->points.size(), 13u);
  const HandPoint moved = followed->points[5];
  HandTrack again = *followed;
  again.remove(5, 9);
  EXPECT_FALSE(again.at(7));
  EXPECT_TRUE(again.at(14)->keyed);
  const auto filled = followByHand(wall, frames(16), again, {.frame = 14, .forward = false, .backward = true}, {});
  ASSERT_TRUE(filled.ok());
  EXPECT_LT((filled->at(moved.frame)->position - moved.position).norm(), 0.05) << "the same from the other side";
}

TEST(HandKinds, CancelKeepsWhatWasFollowedSoFar) {
  MarkedWall wall(16);
  HandTrack track{.name = "Plaster"};
  track.putKey(1, wall.carry({60, 110}, 1));
  std::stop_source stop;
  const Progress progress(
      [&](const ProgressState& state) {
        if (state.fraction > 0.3) stop.request_stop();
      },
      stop.get_token());
  std::string note;
  const auto followed = followByHand(wall, frames(16), track, {.frame = 1}, progress, &note);
  ASSERT_TRUE(followed.ok());
  EXPECT_GT(followed->points.size(), 3u);
  EXPECT_LT(followed->points.size(), 12u);
  EXPECT_THAT(note, HasSubstr("stopped"));
}

TEST(HandKinds, WhatWasFollowedBeforeGivesWayToTheNewWay) {
  MarkedWall wall(10);
  const Vec2 place(60, 110);
  HandTrack track{.name = "Plaster"};
  track.putKey(1, wall.carry(place, 1));
  for (int f = 2; f <= 10; ++f) track.points.push_back({f, wall.carry(place, f) + Vec2(9, 9), false, 0.5});
  const auto followed = followByHand(wall, frames(10), track, {.frame = 1}, {});
  ASSERT_TRUE(followed.ok());
  ASSERT_EQ(followed->points.size(), 10u);
  for (const HandPoint& p : followed->points) EXPECT_LT((p.position - wall.carry(place, p.frame)).norm(), 0.3);
}
}  // namespace dusky::testing
