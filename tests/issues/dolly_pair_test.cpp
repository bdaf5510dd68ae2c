// Moving straight ahead shows little motion, so too few keyframes were chosen; and the side of a pair was judged by points that had been found ahead of cameras
// that looked the other way. A dolly was refused as "turned on the spot".
#include <gtest/gtest.h>

#include <cmath>

#include "core/geometry/two_view.h"
#include "core/solve/solve_shot.h"
#include "tests/support/synthetic_shot.h"

namespace dusky::testing {

/// The synthetic set, with the camera going straight in.
SyntheticShot dolly(std::uint64_t seed) {
  SyntheticShot shot = makeSyntheticShot({.frames = 30, .points = 220, .seed = seed});
  Random random(seed);
  for (std::size_t f = 0; f < shot.poses.size(); ++f) {
    const double t = static_cast<double>(f);
    shot.poses[f] = {(rotationFromVector(Vec3(0.01 * std::sin(t), 0.008 * std::sin(1.3 * t), 0)) * Eigen::Quaterniond(0, 1, 0, 0)).normalized(),
                     Vec3(1.5 + 0.01 * std::sin(2 * t), 1.6, 1.0 - 0.06 * t)};
  }
  shot.tracks.tracks.clear();
  for (int i = 0; i < shot.plan.points; ++i) {
    Track track{.id = i + 1};
    for (int f = 0; f < shot.plan.frames; ++f) {
      const auto at = project(shot.plan.lens, shot.poses[f], shot.points[i]);
      if (!at || at->x() < 0 || at->y() < 0 || at->x() > 1280 || at->y() > 720) continue;
      track.observations.push_back({1 + f, *at + 0.1 * Vec2(random.normal(), random.normal())});
    }
    if (track.life() >= 4) shot.tracks.tracks.push_back(std::move(track));
  }
  return shot;
}

TEST(DollyPair, StraightAheadIsSolved) {
  for (std::uint64_t seed = 1; seed <= 4; ++seed) {
    const SyntheticShot shot = dolly(seed);
    const auto solved = solveShot(shot.tracks, {}, {});
    ASSERT_TRUE(solved.ok()) << "seed " << seed << ": " << solved.error().message;
    EXPECT_EQ((*solved)->placedFrames(), 30);
    EXPECT_LT(pathError(shot, **solved), 0.03) << "on a path of 1.8";
    EXPECT_NEAR((*solved)->lens().focal_px, 1100, 25);
  }
}

TEST(DollyPair, ThePairFacesItsPoints) {
  const SyntheticShot shot = dolly(7);
  std::vector<Vec3> a, b;
  for (const Track& track : shot.tracks.tracks) {
    const Observation *first = track.at(1), *last = track.at(20);
    if (!first || !last) continue;
    a.push_back(*shot.plan.lens.ray(first->position));
    b.push_back(*shot.plan.lens.ray(last->position));
  }
  const TwoView view = relatePair(a, b, 0.002, 3);
  const Pose &from = shot.poses[0], &to = shot.poses[19];
  const Vec3 truth = (to.world_from_camera.conjugate() * (from.centre - to.centre)).normalized();
  EXPECT_GT(view.relative.direction.dot(truth), 0.99) << "forwards, not backwards";
  EXPECT_GT(view.inliers.size(), 0.8 * static_cast<double>(a.size()));
}
}  // namespace dusky::testing
