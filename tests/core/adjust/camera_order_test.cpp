#include "core/adjust/camera_order.h"

#include <gtest/gtest.h>

#include <algorithm>
#include <numeric>

namespace dusky::testing {

/// Cameras, and points that are seen by the given runs of them.
Bundle seenBy(int cameras, const std::vector<std::vector<int>>& runs) {
  Bundle bundle;
  bundle.cameras.resize(static_cast<std::size_t>(cameras));
  for (const auto& run : runs) {
    const int point = static_cast<int>(bundle.points.size());
    bundle.points.push_back(Vec3::UnitZ());
    for (const int camera : run) bundle.observations.push_back({camera, point, Vec2::Zero()});
  }
  return bundle;
}

std::vector<int> run(int from, int to) {
  std::vector<int> frames(static_cast<std::size_t>(to - from));
  std::iota(frames.begin(), frames.end(), from);
  return frames;
}

double reachOf(const CameraOrder& order) {
  double sum = 0;
  for (std::size_t i = 0; i < order.first.size(); ++i) sum += static_cast<double>(i) - order.first[i];
  return sum;
}

TEST(CameraOrder, AWalkStaysInTheOrderOfTime) {
  std::vector<std::vector<int>> runs;
  for (int f = 0; f + 12 <= 150; f += 3) runs.push_back(run(f, f + 12));
  const CameraOrder order = orderCameras(seenBy(150, runs));
  for (int c = 0; c < 150; ++c) EXPECT_EQ(order.place[c], c);
  EXPECT_EQ(order.first[0], 0);
  EXPECT_GE(order.first[100], 88);
}

TEST(CameraOrder, AWayThereAndBackIsFolded) {
  // Frame f and frame 199 - f see the same things.
  std::vector<std::vector<int>> runs;
  for (int f = 0; f + 8 <= 100; f += 2) {
    std::vector<int> both = run(f, f + 8);
    for (int k = f + 7; k >= f; --k) both.push_back(199 - k);
    runs.push_back(both);
  }
  const Bundle bundle = seenBy(200, runs);
  const CameraOrder order = orderCameras(bundle);
  std::vector<int> places = order.place;
  std::sort(places.begin(), places.end());
  EXPECT_EQ(places, run(0, 200)) << "every camera has a place of its own";
  EXPECT_LT(reachOf(order), 200 * 60) << "in the order of time it would be about 200 * 100";
  for (const BundleObservation& a : bundle.observations) {
    for (const BundleObservation& b : bundle.observations) {
      if (a.point != b.point || order.place[b.camera] > order.place[a.camera]) continue;
      EXPECT_LE(order.first[order.place[a.camera]], order.place[b.camera]) << "whoever shares a point lies within the envelope";
    }
  }
}

TEST(CameraOrder, TiesReachToo) {
  Bundle bundle = seenBy(10, {run(0, 3), run(7, 10)});
  bundle.ties.push_back({.a = 1, .b = 8, .centre = 1});
  EXPECT_EQ(orderCameras(bundle).first[8], 1);
}

}  // namespace dusky::testing
